import { hostKeyBlob } from '../../access/read-host-key';
import { parsePublicKey } from '../../access/ssh-public-key';
import { userNameFault } from '../../access/user-names';
import { textOrNull, toHex } from '../../bytes';
import {
  Findings,
  type BootFile,
  type CheckedNetwork,
  type CheckedSettings,
  type CheckFinding,
} from '../../formats/finding';
import { isPasswordHash } from '../../formats/password-hash';
import { hostNameFault } from '../../plan/names';
import { isTimeZone } from '../../plan/time-zone';
import { isCountry } from '../../wifi/countries';
import { SSID_MAX_OCTETS } from '../../wifi/ssid';
import { byName, type BootFiles } from '../boot-files';
import type { OwnDescription, OwnWords } from '../../plan/own-method';
import { readOwnFile, type FoundValue } from './read-file';
import { valueTitle, type ValueName } from './values';

/** A value with the file that it was read from. */
export interface CardValue extends FoundValue {
  path: string;
}

/** Everything that the files of a card say by a description. */
export interface OwnRead {
  values: CardValue[];
  findings: CheckFinding[];
}

const fileOf = (boot: BootFiles, path: string): BootFile | undefined => byName(boot).get(path.toLowerCase());

/** Why a value is none for what it is meant for, or null. The value itself is never told: it may be a secret. */
function valueFault(name: ValueName, octets: Uint8Array): string | null {
  const text = textOrNull(octets);
  if (name === 'ssid')
    return octets.length === 0 || octets.length > SSID_MAX_OCTETS
      ? 'A network’s name has 1 to 32 octets.'
      : null;
  if (text === null) return 'It is no UTF-8.';
  switch (name) {
    case 'hostName':
      return hostNameFault(text) ? 'A host name has letters, digits and hyphens, at most 63.' : null;
    case 'country':
      return isCountry(text) ? null : 'A country has two letters, as in ISO 3166-1.';
    case 'timeZone':
      return isTimeZone(text) ? null : 'There is no such time zone.';
    case 'user':
    case 'otherName':
      return userNameFault(text)
        ? 'A user has small letters, digits and hyphens, and is none of the system’s own.'
        : null;
    case 'passwordHash':
      return text === '' || isPasswordHash(text) ? null : 'It is no hash of a password.';
    case 'hostKey':
      return hostKeyBlob(text)
        ? null
        : 'It is no whole private key of the form that the login service reads.';
    case 'sshKey':
      return typeof parsePublicKey(text) === 'string' ? 'It is no whole public key.' : null;
    case 'userKeys':
    case 'otherKeys':
      return text.split('\n').some((line) => line !== '' && typeof parsePublicKey(line) === 'string')
        ? 'One of its lines is no whole public key.'
        : null;
    default:
      return null;
  }
}

/** Length and form of a network's key, by what its security is said to be. */
function keyFault(key: string, security: string | null): string | null {
  if (key === '' || security === 'open') return null;
  if (security === 'wep')
    return /^([0-9A-Fa-f]{10}|[0-9A-Fa-f]{26})$/.test(key) ? null : 'A WEP key has 10 or 26 digits.';
  if (security === 'wpa3') return null;
  return /^[0-9A-Fa-f]{64}$/.test(key) || /^[\x20-\x7e]{8,63}$/.test(key)
    ? null
    : 'A key has 64 hexadecimal digits, a passphrase 8 to 63 printable characters of ASCII.';
}

/** Reads the files of a card by a description. */
export function readOwnFiles(description: OwnDescription, boot: BootFiles): OwnRead {
  const values: CardValue[] = [];
  const findings: CheckFinding[] = [];
  for (const file of description.files) {
    const there = fileOf(boot, file.path);
    const found = new Findings(file.path);
    if (!there) {
      found.add(
        'stops',
        'own-file-missing',
        `${file.path} is not there.`,
        `"${description.title}" says that the board reads its settings from it.`,
        'Write the card again, or put the file back.',
      );
      findings.push(...found.list);
      continue;
    }
    const read = readOwnFile(file, there);
    findings.push(...read.findings);
    values.push(...read.values.map((value) => ({ ...value, path: file.path })));
    const told = read.findings.length > 0;
    for (const [at, entry] of file.entries.entries())
      if (!read.entries.has(at) && !told && entry.each === 'once' && entry.when === 'always')
        found.add(
          'stops',
          'own-entry-missing',
          `${entry.key === '' ? `Text ${String(at + 1)}` : entry.section === '' ? entry.key : `[${entry.section}] ${entry.key}`} is not in ${file.path}.`,
          'The board finds nothing in its place, and stays as its maker shipped it in that.',
          'Write the card again, or put the line back.',
        );
    for (const { part, octets, line } of read.values) {
      const fault = valueFault(part.name, octets);
      if (fault !== null)
        found.add(
          'stops',
          'own-value',
          `The ${valueTitle(part.name)} in ${file.path} is none.`,
          'The board takes nothing of it, or something else than was meant.',
          fault,
          { line },
        );
    }
    findings.push(...found.list);
  }
  findings.push(...keyFindings(values));
  return { values, findings };
}

/** Values of what is repeated, by their turn. */
function turnsOfValues(
  values: readonly CardValue[],
  first: ValueName,
): Map<number, Map<ValueName, Uint8Array>> {
  const turns = new Map<number, Map<ValueName, Uint8Array>>();
  const places = new Set(values.filter(({ part }) => part.name === first).map(({ at }) => at));
  for (const { at, part, octets } of values)
    if (places.has(at))
      turns.set(at, (turns.get(at) ?? new Map<ValueName, Uint8Array>()).set(part.name, octets));
  return turns;
}

const ofNetworks: readonly ValueName[] = ['ssid', 'wifiKey', 'security', 'hidden', 'priority'];
const ofUsers: readonly ValueName[] = ['otherName', 'otherKeys', 'otherRoot'];
const only = (values: readonly CardValue[], names: readonly ValueName[]): CardValue[] =>
  values.filter(({ part }) => names.includes(part.name));

export const networksOf = (values: readonly CardValue[]): Map<ValueName, Uint8Array>[] =>
  [...turnsOfValues(only(values, ofNetworks), 'ssid')].sort(([a], [b]) => a - b).map(([, turn]) => turn);
export const usersOf = (values: readonly CardValue[]): Map<ValueName, Uint8Array>[] =>
  [...turnsOfValues(only(values, ofUsers), 'otherName')].sort(([a], [b]) => a - b).map(([, turn]) => turn);

export const textAt = (turn: ReadonlyMap<ValueName, Uint8Array>, name: ValueName): string | null => {
  const octets = turn.get(name);
  return octets === undefined ? null : textOrNull(octets);
};
/** A value that stands once, as text; null where it does not. */
export const onceAt = (values: readonly CardValue[], name: ValueName): string | null => {
  const found = values.find(({ part }) => part.name === name);
  return found ? textOrNull(found.octets) : null;
};

function keyFindings(values: readonly CardValue[]): CheckFinding[] {
  const keys = values.filter(({ part }) => part.name === 'wifiKey');
  const networks = turnsOfValues(only(values, ofNetworks), 'wifiKey');
  return keys.flatMap(({ at, octets, path, line }) => {
    const fault = keyFault(textOrNull(octets) ?? '', textAt(networks.get(at) ?? new Map(), 'security'));
    if (fault === null) return [];
    const found = new Findings(path);
    found.add(
      'stops',
      'own-value',
      `The ${valueTitle('wifiKey')} in ${path} is none.`,
      'The board does not join.',
      fault,
      {
        line,
      },
    );
    return found.list;
  });
}

const securities: Partial<Record<keyof OwnWords, CheckedNetwork['security']>> = {
  open: 'open',
  wep: 'wep',
  wpa2: 'psk',
  mixed: 'psk',
  wpa3: 'sae',
};

const lineCount = (text: string | null): number =>
  (text ?? '').split('\n').filter((line) => line.trim() !== '').length;

/** Adds what the board will make of the files to what is known of it. */
export function ownSettings(values: readonly CardValue[], settings: CheckedSettings): void {
  settings.hostName = onceAt(values, 'hostName');
  settings.country = onceAt(values, 'country');
  for (const turn of networksOf(values)) {
    const ssid = turn.get('ssid') ?? new Uint8Array();
    const security = securities[(textAt(turn, 'security') ?? '') as keyof OwnWords];
    settings.networks.push({
      ssid: textOrNull(ssid) ?? toHex(ssid),
      security: security ?? ((textAt(turn, 'wifiKey') ?? '') === '' ? 'open' : 'psk'),
      hidden: textAt(turn, 'hidden') === 'yes',
      priority: Number(textAt(turn, 'priority') ?? 0),
    });
  }
  const user = onceAt(values, 'user');
  const hash = onceAt(values, 'passwordHash');
  const single = values.filter(({ part }) => part.name === 'sshKey').length;
  if (user !== null)
    settings.users.push({
      name: user,
      keys: single > 0 ? single : lineCount(onceAt(values, 'userKeys')),
      password: hash !== null && isPasswordHash(hash),
    });
  for (const turn of usersOf(values))
    settings.users.push({
      name: textAt(turn, 'otherName') ?? '',
      keys: lineCount(textAt(turn, 'otherKeys')),
      password: false,
    });
  settings.passwordLogin =
    onceAt(values, 'passwordLogin') === 'yes' || (hash !== null && isPasswordHash(hash));
}

/** Salt of the hash that a card's password has, or null. */
export const ownSalt = (description: OwnDescription, boot: BootFiles): string | null =>
  /^\$6\$([^$:\s]{1,16})\$/.exec(onceAt(readOwnFiles(description, boot).values, 'passwordHash') ?? '')?.[1] ??
  null;
