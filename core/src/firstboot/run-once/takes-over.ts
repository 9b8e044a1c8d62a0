import { noSettings } from '../../formats/finding';
import { readKeyfile, ssidOfKeyfile, unescaped } from '../../formats/keyfile/read';
import { hereDocuments } from '../../formats/shell/script';
import type { WifiSecurity } from '../../wifi/network';
import { textsOf, type BootFiles } from '../boot-files';
import { RUN_ONCE_FOLDER, RUN_ONCE_SCRIPT } from '../file-names';
import { adopted, nothing, passwordLeft, type Adopted } from '../take-over/adopted';
import { readRunOnce } from './reads-back';

function fromKeyfile(content: string, found: Adopted): void {
  const groups = readKeyfile(content);
  const wifi = groups.get('wifi');
  if (!wifi) return;
  const guard = groups.get('wifi-security');
  const management = guard?.get('key-mgmt');
  const wep = guard?.get('wep-key0');
  const security: WifiSecurity =
    wep !== undefined
      ? 'wep'
      : management === 'sae'
        ? 'wpa3-sae'
        : management === 'wpa-psk'
          ? 'wpa2-psk'
          : 'open';
  found.networks.push(
    adopted(ssidOfKeyfile(wifi.get('ssid') ?? ''), security, unescaped(wep ?? guard?.get('psk') ?? ''), {
      hidden: wifi.get('hidden') === 'true',
      priority: Number(groups.get('connection')?.get('autoconnect-priority') ?? 0),
      country: found.country,
    }),
  );
}

/** What a plan takes over from a card that sets its board up by a script. */
export function takeRunOnceOver(boot: BootFiles): Adopted {
  const found = nothing();
  const files = textsOf(boot);
  const settings = noSettings();
  readRunOnce(boot, settings);
  found.country = settings.country;
  found.hostName = settings.hostName;
  found.passwordLogin = settings.passwordLogin;
  const at = (name: string): string | undefined => files.get(`${RUN_ONCE_FOLDER}/${name}`);
  for (const line of (at('users') ?? '').split('\n')) {
    const [name = '', hash = '', sudo = ''] = line.split(':');
    if (name === '') continue;
    const keys = (at(`keys/${name}`) ?? '').split('\n').filter((key) => key !== '');
    found.users.push({ name, keys, sudo: sudo !== 'none' });
    if (hash.startsWith('$')) found.left.push(passwordLeft(name));
  }
  found.timeZone = at('time-zone')?.trim() ?? null;
  found.locale = at('locale')?.trim() ?? null;
  found.commands = (at('commands') ?? '').split('\n').filter((line) => line !== '');
  const keyboard = at('keyboard') ?? '';
  const layout = /^XKBLAYOUT="([^"]*)"$/m.exec(keyboard)?.[1];
  found.keyboard =
    layout === undefined ? null : `${layout} ${/^XKBVARIANT="([^"]*)"$/m.exec(keyboard)?.[1] ?? ''}`.trim();
  for (const [name, content] of files) {
    if (name.startsWith(`${RUN_ONCE_FOLDER}/networks/`)) fromKeyfile(content, found);
    else if (name.endsWith('.sh') && name !== RUN_ONCE_SCRIPT) {
      for (const document of hereDocuments(content)) fromKeyfile(document.content, found);
      found.left.push(`What ${name} does beyond its networks is not taken over.`);
    }
  }
  return found;
}
