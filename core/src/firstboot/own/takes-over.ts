import type { BootFiles } from '../boot-files';
import type { WifiSecurity } from '../../wifi/network';
import { adopted, nothing, passwordLeft, type Adopted } from '../take-over/adopted';
import type { OwnDescription } from '../../plan/own-method';
import { networksOf, onceAt, readOwnFiles, textAt, usersOf } from './reads-back';

const securities: Record<string, WifiSecurity> = {
  open: 'open',
  wep: 'wep',
  wpa2: 'wpa2-psk',
  mixed: 'wpa2-wpa3',
  wpa3: 'wpa3-sae',
};
const linesIn = (text: string | null): string[] =>
  (text ?? '').split('\n').filter((line) => line.trim() !== '');

/** What a plan takes over from the files of a description. */
export function takeOwnOver(description: OwnDescription, boot: BootFiles): Adopted {
  const { values } = readOwnFiles(description, boot);
  const once = (name: Parameters<typeof onceAt>[1]): string | null => onceAt(values, name) || null;
  const found = nothing();
  found.hostName = once('hostName');
  found.country = once('country');
  found.timeZone = once('timeZone');
  found.locale = once('locale');
  found.keyboard =
    [once('keyboard'), once('keyboardVariant')].filter((part) => part !== null).join(' ') || null;
  found.commands = linesIn(once('commands'));
  const user = once('user');
  const single = values
    .filter(({ part }) => part.name === 'sshKey')
    .map(({ octets }) => new TextDecoder().decode(octets));
  if (user !== null) {
    found.users.push({
      name: user,
      keys: single.length > 0 ? single : linesIn(once('userKeys')),
      sudo: once('rootRights') !== 'no',
    });
    if (once('passwordHash') !== null) found.left.push(passwordLeft(user));
  }
  found.passwordLogin = once('passwordLogin') === 'yes' || once('passwordHash') !== null;
  for (const turn of usersOf(values))
    found.users.push({
      name: textAt(turn, 'otherName') ?? '',
      keys: linesIn(textAt(turn, 'otherKeys')),
      sudo: textAt(turn, 'otherRoot') === 'yes',
    });
  for (const turn of networksOf(values)) {
    const key = textAt(turn, 'wifiKey') ?? '';
    const security = securities[textAt(turn, 'security') ?? ''] ?? (key === '' ? 'open' : 'wpa2-psk');
    found.networks.push(
      adopted(turn.get('ssid') ?? new Uint8Array(), security, security === 'open' ? '' : key, {
        hidden: textAt(turn, 'hidden') === 'yes',
        priority: Number(textAt(turn, 'priority') ?? 0),
        country: found.country,
      }),
    );
  }
  return found;
}
