import { fromHex, textOrNull, toHex, utf8 } from '../../bytes';
import { passphraseKind, preSharedKey } from '../../wifi/psk';
import { checkCountry, checkNames, checkPassphrase } from './secrets';
import {
  Findings,
  type BootFile,
  type CheckedNetwork,
  type CheckedSettings,
  type CheckFinding,
} from './finding';
import { globalFields, networkFields } from './supplicant-fields';
import { readText } from './text';

/**
 * Reads a `wpa_supplicant.conf` back as wpa_supplicant does (its own wpa_supplicant.conf example file and README):
 * `name=value` lines, `network={` … `}` blocks, text in plain double quotes, keys and octets as hexadecimal digits.
 */

/** A passphrase in a comment beside its key. */
const BESIDE = '#psk';

interface Setting {
  value: string;
  line: number;
}

interface Block {
  line: number;
  settings: Map<string, Setting>;
}

const keyManagements = new Set([
  'NONE',
  'WPA-PSK',
  'WPA-PSK-SHA256',
  'SAE',
  'FT-PSK',
  'FT-SAE',
  'WPA-EAP',
  'IEEE8021X',
  'OWE',
  'WPA-NONE',
]);

/** Octets of a value: in quotes its letters, else hexadecimal digits; null when it is neither. */
export function octetsOf(value: string): Uint8Array | null {
  const quoted = /^"(.*)"$/s.exec(value);
  if (quoted) return utf8(quoted[1] ?? '');
  return fromHex(value);
}

function parse(
  text: string,
  name: string,
  found: Findings,
): { globals: Map<string, Setting>; blocks: Block[] } {
  const globals = new Map<string, Setting>();
  const blocks: Block[] = [];
  let open: Block | null = null;
  const lines = text.split('\n');
  for (const [index, raw] of lines.entries()) {
    const line = index + 1;
    const trimmed = raw.trim();
    if (trimmed === '') continue;
    if (trimmed.startsWith('#')) {
      // wpa_passphrase leaves the passphrase beside the key that it made of it.
      const beside = /^#\s*psk="(.*)"$/.exec(trimmed)?.[1];
      if (beside !== undefined) open?.settings.set(BESIDE, { value: beside, line });
      // A template whose comment signs were left in front of the block.
      if (/^#+\s*network\s*=\s*\{/.test(trimmed))
        found.add(
          'warns',
          'comment-left',
          `Line ${String(line)} of ${name} is still a comment: "${trimmed}".`,
          'The block behind the comment sign is not read.',
          trimmed.replace(/^#+\s*/, ''),
          { line },
        );
      continue;
    }
    if (/^network\s*=\s*\{$/.test(trimmed)) {
      if (open)
        found.add(
          'stops',
          'brace-open',
          `The network of line ${String(open.line)} is not closed before the next one begins.`,
          'The whole file is refused.',
          '}',
          { line },
        );
      open = { line, settings: new Map() };
      blocks.push(open);
      continue;
    }
    if (/^network\s*=/.test(trimmed)) {
      found.add(
        'stops',
        'brace-form',
        `"${trimmed}" does not begin a network.`,
        'The whole file is refused.',
        'network={',
        { line },
      );
      continue;
    }
    if (trimmed === '}') {
      if (!open)
        found.add(
          'stops',
          'brace-extra',
          'A brace closes what was never opened.',
          'The whole file is refused.',
          'Take it away, or put network={ before its lines.',
          { line },
        );
      open = null;
      continue;
    }
    const setting = /^([A-Za-z0-9_]+)(\s*)=(\s*)(.*)$/.exec(trimmed);
    if (!setting) {
      found.add(
        'stops',
        'line-form',
        `Line ${String(line)} of ${name} is no setting: "${trimmed.slice(0, 40)}".`,
        'The whole file is refused.',
        'name=value',
        { line },
      );
      continue;
    }
    const [, key = '', before = '', after = '', value = ''] = setting;
    if (before || after)
      found.add(
        'stops',
        'space-at-equals',
        `Spaces stand around the = of ${key}.`,
        'The line is refused, and with it the file.',
        `${key}=${key === 'psk' || key.startsWith('wep_key') ? '…' : value}`,
        { line },
      );
    if (!(open ? networkFields : globalFields).has(key))
      found.add(
        'stops',
        'unknown-setting',
        `wpa_supplicant knows no setting "${key}" ${open ? 'of a network' : 'outside networks'}.`,
        'The whole file is refused because of it.',
        open && globalFields.has(key)
          ? 'Put it on a line of its own before the first network={'
          : !open && networkFields.has(key)
            ? 'Put it between network={ and }.'
            : 'Look at how it is spelt; small letters only.',
        { line },
      );
    const quotes = (value.match(/"/g) ?? []).length;
    if (value.startsWith('"') !== value.endsWith('"') || (quotes === 1 && value.startsWith('"')))
      found.add(
        'stops',
        'quote-open',
        `A quotation mark of ${key} is not closed.`,
        'The line is refused, and with it the file.',
        'Put a plain " before and behind the text.',
        { line },
      );
    (open?.settings ?? globals).set(key, { value, line });
  }
  if (open)
    found.add(
      'stops',
      'brace-open',
      `The network of line ${String(open.line)} is not closed.`,
      'The whole file is refused.',
      '}',
      { line: lines.length },
    );
  return { globals, blocks };
}

/** Settings of a file as they stand there, without a word on what is wrong with it. */
export function readSupplicant(text: string): {
  globals: ReadonlyMap<string, string>;
  blocks: ReadonlyMap<string, string>[];
} {
  const { globals, blocks } = parse(
    text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n'),
    '',
    new Findings(''),
  );
  const plain = (settings: ReadonlyMap<string, Setting>): ReadonlyMap<string, string> =>
    new Map([...settings].map(([key, { value }]) => [key, value]));
  return { globals: plain(globals), blocks: blocks.map(({ settings }) => plain(settings)) };
}

function checkBlock({ line, settings }: Block, found: Findings): CheckedNetwork | null {
  const ssid = settings.get('ssid');
  if (!ssid) {
    found.add('stops', 'ssid-missing', 'A network has no ssid.', 'It can join nothing.', 'ssid="the name"', {
      line,
    });
    return null;
  }
  const octets = octetsOf(ssid.value);
  if (!octets || octets.length === 0 || octets.length > 32) {
    found.add(
      'stops',
      'ssid-form',
      'The name of a network is neither text in quotes nor hexadecimal digits of 1 to 32 octets.',
      'The whole file is refused.',
      'ssid="the name"',
      { line: ssid.line },
    );
    return null;
  }
  const name = textOrNull(octets) ?? toHex(octets);
  const psk = settings.get('psk');
  const management = settings.get('key_mgmt');
  const wep = [...settings.keys()].some((key) => /^wep_key[0-3]$/.test(key));
  const kinds = (management?.value ?? 'WPA-PSK').split(/\s+/);
  const unknown = management && kinds.find((kind) => !keyManagements.has(kind));
  if (unknown)
    found.add(
      'stops',
      'key-mgmt',
      `"${unknown}" is no key management.`,
      'The whole file is refused.',
      'WPA-PSK, SAE or NONE',
      { line: management.line },
    );
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
  if (wep && !open)
    found.add(
      'stops',
      'wep-with-wpa',
      `"${name}" has a WEP key and the settings of WPA.`,
      'The key is not used, and the board is turned away.',
      'key_mgmt=NONE',
      { line: management?.line ?? line },
    );
  if (
    !open &&
    !psk &&
    !settings.get('sae_password') &&
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
  if (psk) {
    const quoted = /^"(.*)"$/.exec(psk.value);
    if (quoted) checkPassphrase(name, quoted[1] ?? '', psk.line, found);
    else if (!/^[0-9A-Fa-f]{64}$/.test(psk.value))
      found.add(
        'stops',
        'psk-bare',
        `The passphrase of "${name}" stands without quotation marks.`,
        'Without them it must be a key of 64 hexadecimal digits; the whole file is refused.',
        'psk="…", in plain quotation marks',
        { line: psk.line },
      );
    const beside = settings.get(BESIDE);
    if (!quoted && beside && passphraseKind(beside.value) === 'passphrase') {
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
        { line: beside.line },
      );
    }
  }
  return {
    ssid: name,
    security: wep
      ? 'wep'
      : open
        ? 'open'
        : kinds.includes('SAE') && !kinds.includes('WPA-PSK')
          ? 'sae'
          : 'psk',
    hidden: settings.get('scan_ssid')?.value === '1',
    priority: Number(settings.get('priority')?.value ?? 0),
  };
}

/** Checks a `wpa_supplicant.conf`. */
export function checkSupplicant(file: BootFile, settings: CheckedSettings): CheckFinding[] {
  const found = new Findings(file.name);
  // Carriage returns are taken, a byte-order mark is not (tried with wpa_supplicant itself).
  const text = readText(file, { carriageReturns: 'taken', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  const { globals, blocks } = parse(text, file.name, found);
  const country = globals.get('country');
  const inBlock = blocks.find((block) => block.settings.has('country'));
  if (!country && inBlock)
    found.add(
      'stops',
      'country-inside',
      'The country stands inside a network.',
      'There it is refused, and with it the file.',
      'Put it on a line of its own before the first network={',
      { line: inBlock.settings.get('country')?.line ?? null },
    );
  else checkCountry(country?.value ?? null, country?.line ?? null, found);
  settings.country = country?.value ?? null;
  for (const block of blocks) {
    const network = checkBlock(block, found);
    if (network) settings.networks.push(network);
  }
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
