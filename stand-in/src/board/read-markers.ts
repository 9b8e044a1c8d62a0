import { blank, BootFailure, readText, type BoardSettings, type CardFiles } from './settings';
import { parseSupplicant } from './supplicant';

/** A board whose image looks for marker files, by exactly these names. */
export async function readMarkers(volume: CardFiles, names: readonly string[]): Promise<BoardSettings> {
  const settings = blank();
  settings.loginService = names.includes('ssh');
  const user = names.includes('userconf.txt') ? await readText(volume, 'userconf.txt') : null;
  if (user !== null) {
    const [, name = '', hash = ''] = /^([a-z][a-z0-9_-]{0,31}):([^:\s]+)\n?$/.exec(user) ?? [];
    if (name === '') settings.ignored.push('userconf.txt: not one line of a name, a colon and a hash');
    else {
      settings.users.push({ name, keys: [], hash: hash.startsWith('$') ? hash : null });
      settings.passwordLogin = true;
    }
  }
  const radio = names.includes('wpa_supplicant.conf') ? await readText(volume, 'wpa_supplicant.conf') : null;
  if (radio !== null)
    try {
      settings.radio = parseSupplicant(radio);
    } catch (error) {
      if (!(error instanceof BootFailure)) throw error;
      settings.ignored.push(`wpa_supplicant.conf: ${error.message}`);
    }
  return settings;
}
