import { textsOf, type BootFiles } from '../boot-files';
import { nothing, passwordLeft, type Adopted } from '../take-over/adopted';
import { fromSupplicant } from '../take-over/supplicant';

/** What a plan takes over from marker files. */
export function takeMarkerFilesOver(boot: BootFiles): Adopted {
  const found = nothing();
  const files = textsOf(boot);
  fromSupplicant(files.get('wpa_supplicant.conf') ?? '', found);
  const [name = '', hash = ''] = (files.get('userconf.txt') ?? '').trim().split(':');
  if (name !== '') {
    found.users.push({ name, keys: [], sudo: true });
    found.passwordLogin = hash.startsWith('$');
    if (found.passwordLogin) found.left.push(passwordLeft(name));
  }
  return found;
}
