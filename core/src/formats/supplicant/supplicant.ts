import { textOrNull, toHex } from '../../bytes';
import { passphraseKind, preSharedKey } from '../../wifi/psk';
import { checkCountry, checkNames, checkPassphrase } from '../secrets';
import {
  Findings,
  isRefused,
  type BootFile,
  type CheckedNetwork,
  type CheckedSettings,
  type CheckFinding,
} from '../finding';
import { inQuotes, renamed, withoutSpaces } from '../line-change';
import { shownName } from '../shown';
import { nearest } from '../spelling';
import { globalFields, networkFields } from './fields';
import { BESIDE, readLines, settingOf, type Block, type Setting } from './lines';
import { octetsOf, quotedPassphrase, valueFault } from './values';
import { readText } from '../text';

/** Checks a `wpa_supplicant.conf` as wpa_supplicant reads it (its example file, and the program itself in the tests). */

const REFUSED = 'The whole file is refused.';

/** Settings of a file as they stand there, without a word on what is wrong with it. */
export function readSupplicant(text: string): {
  globals: ReadonlyMap<string, string>;
  blocks: ReadonlyMap<string, string>[];
} {
  const { globals, blocks } = readLines(text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n'));
  const plain = ({ settings }: Block): ReadonlyMap<string, string> =>
    new Map(settings.map(({ key, value }) => [key, value]));
  return { globals: plain(globals), blocks: blocks.map(plain) };
}

const nameOf = (block: Block): string | null => {
  const octets = octetsOf(settingOf(block, 'ssid')?.value ?? '');
  return octets && octets.length > 0 ? shownName(textOrNull(octets) ?? toHex(octets)) : null;
};

/** Settings that people write by hand, before all others in a search for what was meant. */
const usual = [
  'ssid',
  'psk',
  'key_mgmt',
  'scan_ssid',
  'priority',
  'country',
  'update_config',
  'ctrl_interface',
];

/** A setting that wpa_supplicant does not know, in a place or spelling where it does not know it. */
function checkName({ key, value, line }: Setting, inNetwork: boolean, found: Findings): boolean {
  const fields = inNetwork ? networkFields : globalFields;
  if (fields.has(key) || key === BESIDE) return true;
  const bare = key.trim();
  if (bare !== key && fields.has(bare))
    found.addRefusing('space-at-equals', `A space stands before the = of ${bare}.`, REFUSED, `${bare}=…`, {
      line,
      mend: withoutSpaces,
    });
  else if (inNetwork && key === 'country')
    found.addRefusing(
      'country-inside',
      'The country stands inside a network.',
      REFUSED,
      'Put it on a line of its own before the first network={',
      { line },
    );
  else {
    const elsewhere = (inNetwork ? globalFields : networkFields).has(key);
    const meant = elsewhere
      ? null
      : nearest(bare, [...usual.filter((name) => fields.has(name)), ...fields.keys()]);
    found.addRefusing(
      'unknown-setting',
      // What is before the = may be a part of a passphrase that was broken over two lines.
      `wpa_supplicant knows no setting ${/^[A-Za-z_]{1,20}\d?$/.test(key) && !value.includes('"') ? `"${key}" ` : 'like this one '}${inNetwork ? 'of a network' : 'outside networks'}.`,
      'The whole file is refused because of it.',
      inNetwork && globalFields.has(key)
        ? 'Put it on a line of its own before the first network={'
        : !inNetwork && networkFields.has(key)
          ? 'Put it between network={ and }.'
          : meant === null
            ? 'Look at how it is spelt; small letters only.'
            : `${meant}=…`,
      meant === null ? { line } : { line, mend: renamed(key, meant) },
    );
  }
  return false;
}

/** Each setting of a block whose name or value loses the file. */
function checkSettings(block: Block, inNetwork: boolean, found: Findings): void {
  const name = inNetwork ? nameOf(block) : null;
  for (const setting of block.settings) {
    const field = (inNetwork ? networkFields : globalFields).get(setting.key);
    if (!checkName(setting, inNetwork, found) || !field) continue;
    if (/^".*"\s*#.*"$/.test(setting.value))
      found.add(
        'warns',
        'comment-read',
        `The comment behind ${setting.key} holds a quotation mark.`,
        'The value goes on to the last quotation mark of the line, so the comment is read as a part of it.',
        'Put the comment on a line of its own, or take its quotation marks away.',
        { line: setting.line },
      );
    const fault = valueFault(setting.key, field, setting.value);
    if (!fault) continue;
    const spaced = /^[ \t]/.test(setting.value) && !valueFault(setting.key, field, setting.value.trim());
    if (spaced)
      found.addRefusing(
        'space-at-equals',
        `A space stands behind the = of ${setting.key}.`,
        REFUSED,
        `${setting.key}=…`,
        { line: setting.line, mend: withoutSpaces },
      );
    else
      found.addRefusing(
        fault.id,
        name === null ? fault.what : fault.what.replace(/^A passphrase/, `The passphrase of "${name}"`),
        REFUSED,
        fault.advice,
        { line: setting.line, mend: inQuotes(setting) },
      );
  }
}

/** What a key or a passphrase beside it says; a value that cannot be read was told before. */
function checkSecret(name: string, octets: Uint8Array, block: Block, psk: Setting, found: Findings): void {
  const passphrase = quotedPassphrase(psk.value);
  if (valueFault('psk', { form: 'psk' }, psk.value)) return;
  if (passphrase !== null) {
    checkPassphrase(name, passphrase, psk.line, found);
    if (!psk.value.endsWith('"'))
      found.add(
        'warns',
        'behind-quote',
        `Something follows the closing quotation mark of the passphrase of "${name}".`,
        'It is not read; if it belongs to the passphrase, this one is too short.',
        'psk="…", and nothing behind the last mark',
        { line: psk.line },
      );
    return;
  }
  const beside = settingOf(block, BESIDE);
  if (!beside || passphraseKind(beside.value) !== 'passphrase') return;
  if (preSharedKey(octets, beside.value) !== psk.value.toLowerCase())
    found.add(
      'stops',
      'key-other-network',
      `The key of "${name}" was not made of this name and the passphrase beside it.`,
      'A key holds for one name only, to the letter; the access point refuses this one.',
      'Make it again with wpa_passphrase and exactly this name, or put the passphrase itself into quotes.',
      { line: psk.line },
    );
  found.add(
    'note',
    'passphrase-beside',
    `The passphrase of "${name}" stands in a comment beside its key.`,
    'Whoever holds the card can read it; the board does not need it.',
    'Take the line that begins with #psk away.',
    { line: beside.line, mend: () => null },
  );
}

/** A network that is there and is not joined all the same. */
function isAsleep(name: string, block: Block, found: Findings): boolean {
  const disabled = settingOf(block, 'disabled');
  const mode = settingOf(block, 'mode');
  if (disabled && Number(disabled.value) !== 0)
    found.add(
      'stops',
      'network-disabled',
      `"${name}" is switched off (disabled).`,
      'The board knows it and does not join it.',
      'Take the line away, or write disabled=0.',
      { line: disabled.line, mend: () => null },
    );
  else if (mode && Number(mode.value) !== 0)
    found.add(
      'stops',
      'network-mode',
      `"${name}" is no network to join (mode).`,
      'The board would open it, or look for other boards, instead of asking an access point.',
      'Take the line away, or write mode=0.',
      { line: mode.line, mend: () => null },
    );
  else return false;
  return true;
}

function checkBlock(block: Block, found: Findings): CheckedNetwork | null {
  const { line } = block;
  const ssid = settingOf(block, 'ssid');
  const octets = ssid && octetsOf(ssid.value);
  // One that cannot be read was told before.
  if (ssid && (!octets || octets.length > 32)) return null;
  if (!octets || octets.length === 0) {
    found.add(
      'stops',
      'ssid-missing',
      'A network has no name (ssid).',
      'It can join nothing.',
      'ssid="the name"',
      {
        line: ssid?.line ?? line,
      },
    );
    return null;
  }
  const name = shownName(textOrNull(octets) ?? toHex(octets));
  const psk = settingOf(block, 'psk');
  const management = settingOf(block, 'key_mgmt');
  const wep = block.settings.filter(({ key }) => /^wep_key[0-3]$/.test(key));
  const kinds = (management?.value ?? 'WPA-PSK').trim().split(/\s+/);
  const open = kinds.includes('NONE');
  if (open && psk)
    found.add(
      'stops',
      'open-with-key',
      `"${name}" is set as open (key_mgmt=NONE) and has a passphrase all the same.`,
      'The board does not use the passphrase and is turned away.',
      'key_mgmt=WPA-PSK',
      { line: management?.line ?? line },
    );
  if (wep.length > 0 && !open)
    found.add(
      'stops',
      'wep-with-wpa',
      `"${name}" has a WEP key and the settings of WPA.`,
      'The key is not used, and the board is turned away.',
      'key_mgmt=NONE',
      { line: management?.line ?? line },
    );
  for (const { value, line: at } of wep)
    if (![0, 5, 13, 16].includes(octetsOf(value)?.length ?? 0))
      found.add(
        'stops',
        'wep-length',
        `The WEP key of "${name}" has a length that no WEP key has.`,
        'The network is passed over.',
        '5 or 13 characters in quotes, or 10 or 26 hexadecimal digits without them.',
        { line: at },
      );
  if (
    !open &&
    !psk &&
    !settingOf(block, 'sae_password') &&
    !kinds.some((kind) => kind.includes('EAP') || kind === 'OWE')
  )
    found.add(
      'stops',
      'psk-missing',
      `"${name}" has no passphrase and is not set as open.`,
      'The board cannot join it.',
      'psk="the passphrase", or key_mgmt=NONE for an open network',
      { line },
    );
  if (psk) checkSecret(name, octets, block, psk, found);
  if (isAsleep(name, block, found)) return null;
  return {
    ssid: name,
    security:
      wep.length > 0
        ? 'wep'
        : open
          ? 'open'
          : kinds.includes('SAE') && !kinds.includes('WPA-PSK')
            ? 'sae'
            : 'psk',
    hidden: Number(settingOf(block, 'scan_ssid')?.value ?? 0) === 1,
    priority: Number(settingOf(block, 'priority')?.value ?? 0),
  };
}

/** Checks a `wpa_supplicant.conf`, or a template in its form. */
export function checkSupplicant(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  // Carriage returns are taken, a byte-order mark is not (tried with wpa_supplicant itself).
  const text = readText(file, { carriageReturns: 'taken', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  const { globals, blocks, broken, asleep } = readLines(text);
  const lastLine = text.split('\n').length;
  for (const { id, line, what, advice } of broken)
    found.addRefusing(id, what, REFUSED, advice, {
      line,
      mend: (given) =>
        id === 'brace-open' && line === lastLine
          ? `${given.trim() === '' ? '' : `${given}\n`}}\n`
          : given.replace(/^(\s*)network[\s=:]*\{\s*$/i, '$1network={').replace(/^(\s*\})[;,]\s*$/, '$1'),
    });
  for (const { line, text: comment } of asleep)
    found.add(
      'warns',
      'comment-left',
      `Line ${String(line)} of ${file.name} is still a comment: "${comment}".`,
      'The block behind the comment sign is not read.',
      'network={',
      { line },
    );
  for (const block of [globals, ...blocks]) checkSettings(block, block !== globals, found);
  const country = settingOf(globals, 'country');
  const inside = blocks.some((block) => settingOf(block, 'country'));
  const unreadable = country && valueFault('country', { form: 'country' }, country.value);
  if (!unreadable && (country || !inside)) checkCountry(country?.value ?? null, country?.line ?? null, found);
  settings.country = country?.value ?? null;
  for (const block of blocks) {
    const network = checkBlock(block, found);
    if (network) settings.networks.push(network);
  }
  if (isRefused(found)) settings.refusedFile = file.name;
  checkNames(settings.networks, found);
  if (blocks.length === 0)
    found.add(
      'stops',
      'no-network',
      `${file.name} names no network.`,
      'The board joins nothing.',
      'network={ ssid="…" psk="…" }, one setting a line',
    );
  return found.list;
}
