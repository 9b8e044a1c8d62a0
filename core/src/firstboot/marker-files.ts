import { utf8 } from '../bytes';
import { markerFiles } from './file-names';
import type { CardFile, FirstBootMethod } from './method';
import { supplicantFile } from './supplicant-file';

/** Where images keep the services that look for them. */
const unitFolders = ['/usr/lib/systemd/system', '/lib/systemd/system', '/etc/systemd/system'];
const looksFor = /\/boot(\/firmware)?\/(ssh|userconf(\.txt)?|wpa_supplicant\.conf|\{[^}]*\bssh\b[^}]*\})/;

/** Marker files: read once at the first boot and removed (common practice). */
export const markerFilesMethod: FirstBootMethod = {
  id: 'marker-files',
  title: 'Marker files (ssh, wpa_supplicant.conf, userconf.txt)',
  carries: new Set(['user', 'password', 'networks', 'wpa3', 'wep', 'octets', 'priority', 'country']),

  async detect({ boot, root }) {
    const names = new Set((await boot.list()).map(({ name }) => name.toLowerCase()));
    const there = markerFiles.find((name) => names.has(name));
    if (there) return `The boot partition brings the marker file ${there}.`;
    for (const folder of root ? unitFolders : [])
      for (const name of (await root?.list(folder)) ?? []) {
        if (!name.endsWith('.service')) continue;
        const unit = `${folder}/${name}`;
        const found = looksFor.exec(
          new TextDecoder().decode((await root?.readFile(unit)) ?? new Uint8Array()),
        )?.[0];
        if (found) return `${unit} looks for ${found}.`;
      }
    return null;
  },

  files(settings): CardFile[] {
    const { user, networks } = settings;
    return [
      // Empty: that it is there says everything.
      { path: 'ssh', content: new Uint8Array() },
      // A locked password for a user who shall not have one (shadow(5)).
      { path: 'userconf.txt', content: utf8(`${user.name}:${user.passwordHash ?? '!'}\n`) },
      ...(networks.length > 0
        ? [{ path: 'wpa_supplicant.conf', content: utf8(supplicantFile(settings)) }]
        : []),
    ];
  },
};
