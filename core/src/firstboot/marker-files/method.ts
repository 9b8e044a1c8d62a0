import { hasName } from '../boot-files';
import { markerFiles } from '../file-names';
import { supplicantLacks } from '../lacks';
import type { FirstBootMethod } from '../method';
import { readMarkerFiles } from './reads-back';
import { takeMarkerFilesOver } from './takes-over';
import { writeMarkerFiles } from './writes';

/** Where images keep the services that look for them. */
const unitFolders = ['/usr/lib/systemd/system', '/lib/systemd/system', '/etc/systemd/system'];
const looksFor = /\/boot(\/firmware)?\/(ssh|userconf(\.txt)?|wpa_supplicant\.conf|\{[^}]*\bssh\b[^}]*\})/;

/** Marker files: read once at the first boot and removed (common practice). */
export const markerFilesMethod: FirstBootMethod = {
  id: 'marker-files',
  title: 'Marker files (ssh, wpa_supplicant.conf, userconf.txt)',
  carries: new Set(['user', 'password', 'networks', 'wpa3', 'wep', 'octets', 'priority', 'country']),
  ownFiles: markerFiles,
  looksFor: 'neither a marker file nor a service that looks for one was found',

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

  // Which program of the image looks for them cannot be told for sure.
  inert: () => null,
  lacks: supplicantLacks,

  again: null,
  files: writeMarkerFiles,

  acts(boot) {
    const marker = markerFiles.find((file) => hasName(boot, file));
    return marker === undefined ? null : `There is the marker file ${marker}.`;
  },

  readBack: readMarkerFiles,
  takeOver: takeMarkerFilesOver,
};
