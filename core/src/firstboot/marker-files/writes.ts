import { utf8 } from '../../bytes';
import type { CardFile, FirstBootSettings } from '../settings';
import { supplicantFile } from '../supplicant-file';

/** The files of this method for one card. */
export function writeMarkerFiles(settings: FirstBootSettings): CardFile[] {
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
}
