import { textOrNull, toHex } from '../../bytes';
import { wepKey } from '../../wifi/secret';
import { readKeyfile, ssidOfKeyfile, unescaped } from './read';
import { Findings, type CheckedSettings, type CheckFinding } from '../finding';
import { brokenEscapes, isEscaped, lineWith, types, valueFaults, valueOf } from './values';
import { checkPassphrase } from '../secrets';
import { shownName, shownWord } from '../shown';
import { readText } from '../text';

const REFUSED = 'NetworkManager refuses the whole file.';

/**
 * Checks a keyfile of NetworkManager (nm-settings-keyfile(5)).
 * @param firstLine line of the file in which the keyfile begins, for one that stands inside a script
 */
export function checkKeyfile(
  name: string,
  content: Uint8Array,
  firstLine: number,
  settings: CheckedSettings,
): CheckFinding[] {
  const found = new Findings(name);
  const text = readText({ name, content }, { carriageReturns: 'taken', byteOrderMark: 'break' }, found);
  if (text === null) return found.list;
  // Within a script a line is another one than in the file.
  if (firstLine !== 1) found.text = null;
  const lineOf = (pattern: RegExp): number => {
    const at = text.split('\n').findIndex((line) => pattern.test(line));
    return firstLine + Math.max(0, at);
  };
  const lines = text.split('\n');
  const firstGroup = lines.findIndex((line) => /^\s*\[/.test(line));
  const strange = lines.findIndex(
    (line, index) =>
      // GLib takes no brackets in the name of a key, but for a language at its end.
      !/^\s*(#|$|\[[^[\]\x00-\x1f\x7f]+\]\s*$|[^=\s[\]][^=[\]]*(\[[\w.@-]+\]\s*)?=)/.test(line) ||
      (index < firstGroup && /^\s*[^#\s]/.test(line)),
  );
  if (strange >= 0)
    found.add(
      'stops',
      'keyfile-form',
      `Line ${String(firstLine + strange)} is neither a group in brackets nor key=value within one.`,
      REFUSED,
      'key=value',
      { line: firstLine + strange },
    );
  const groups = readKeyfile(text);
  const isWifi = groups.has('wifi') || groups.has('802-11-wireless');
  // Without a type NetworkManager goes by the groups that are there.
  // A type with broken escapes is taken as it stands, unlike other values.
  const type =
    valueOf(groups, 'connection', 'type') ??
    groups.get('connection')?.get('type') ??
    (isWifi ? 'wifi' : undefined);
  if (type === undefined || !types.has(type))
    found.add(
      'stops',
      'keyfile-type',
      type === undefined
        ? 'The keyfile does not say what it connects.'
        : `${shownWord(type)} is no type of a connection.`,
      'NetworkManager ignores it.',
      'type=wifi in the group [connection]',
      { line: lineOf(type === undefined ? /^\s*\[connection\]/ : /^\s*type\s*=/) },
    );
  for (const { group, key } of brokenEscapes(groups))
    found.add(
      'stops',
      'keyfile-escape',
      `A backslash stands alone in ${key} of [${group}].`,
      'Keyfiles have backslashes for escapes; NetworkManager drops the whole value.',
      'Two backslashes for one.',
      {
        line: lineOf(lineWith(key)),
        mend: (given) =>
          given.replace(/\\([sntr\\])?/g, (all, escape?: string) => (escape === undefined ? '\\\\' : all)),
      },
    );
  for (const { what, advice, at } of valueFaults(groups))
    found.add('stops', 'keyfile-value', what, REFUSED, advice, { line: lineOf(at) });
  if (!isWifi && type !== 'wifi' && type !== '802-11-wireless') return found.list;
  const joins = type === undefined || /^(wifi|802-11-wireless)$/.test(type);
  if (!joins)
    found.add(
      'stops',
      'keyfile-not-wifi',
      'The keyfile has a group [wifi], but its type is another one.',
      'The network in it is not joined.',
      'type=wifi in the group [connection]',
      { line: lineOf(/^\s*type\s*=/) },
    );
  const wifi = groups.get('wifi') ?? groups.get('802-11-wireless');
  const guard = groups.get('wifi-security') ?? groups.get('802-11-wireless-security');
  const octets = ssidOfKeyfile(wifi?.get('ssid') ?? '');
  const at = lineOf(/^\s*ssid\s*=/);
  if (octets.length === 0 || octets.length > 32) {
    found.add(
      'stops',
      'ssid-form',
      octets.length === 0 ? 'The network has no name.' : 'The network name has more than 32 octets.',
      REFUSED,
      'ssid=the name',
      { line: at },
    );
    return found.list;
  }
  const ssid = shownName(textOrNull(octets) ?? toHex(octets));
  const managementValue = guard?.get('key-mgmt');
  const management =
    managementValue !== undefined && isEscaped('key-mgmt', managementValue)
      ? unescaped(managementValue).toLowerCase()
      : undefined;
  const managed = lineOf(/^\s*key-mgmt\s*=/);
  const psk = guard?.get('psk');
  const wep = [...(guard?.keys() ?? [])].some((key) => /^wep-key[0-3]$/.test(key));
  if (guard && management === undefined)
    found.add(
      'stops',
      'key-mgmt',
      `"${ssid}" has a group [wifi-security] without key-mgmt.`,
      REFUSED,
      'key-mgmt=wpa-psk',
      { line: lineOf(/^\s*\[wifi-security\]/) },
    );
  else if (
    management !== undefined &&
    !['none', 'wpa-psk', 'sae', 'wpa-eap', 'owe', 'ieee8021x'].includes(management)
  )
    found.add(
      'stops',
      'key-mgmt',
      `${shownWord(management)} is no key management.`,
      REFUSED,
      'wpa-psk, sae or none',
      { line: managed },
    );
  if (management === 'none' && psk !== undefined)
    found.add(
      'stops',
      'open-with-key',
      `"${ssid}" is set as open or WEP and has a passphrase all the same.`,
      'The board does not use the passphrase and is turned away.',
      'key-mgmt=wpa-psk',
      { line: managed },
    );
  if (wep && management !== 'none')
    found.add(
      'stops',
      'wep-with-wpa',
      `"${ssid}" has a WEP key and the settings of WPA.`,
      'The key is not used, and the board is turned away.',
      'key-mgmt=none',
      { line: managed },
    );
  const key = psk === undefined ? null : unescaped(psk);
  if ((management === 'wpa-psk' || management === 'sae') && key === null)
    found.add(
      'stops',
      'psk-missing',
      `"${ssid}" has no passphrase.`,
      'Nobody is there to type it: the board cannot join.',
      'psk=the passphrase',
      { line: managed },
    );
  if (key !== null && management === 'wpa-psk') checkPassphrase(ssid, key, lineOf(/^\s*psk\s*=/), found);
  for (const [field, value] of guard ?? [])
    if (/^wep-key[0-3]$/.test(field) && wepKey(unescaped(value)) === null)
      found.add(
        'stops',
        'wep-form',
        `The WEP key of "${ssid}" has a wrong length.`,
        'The board is turned away.',
        '5 or 13 characters, or 10 or 26 hexadecimal digits.',
        { line: lineOf(/^\s*wep-key/) },
      );
  if (!joins) return found.list;
  settings.networks.push({
    ssid,
    security: wep
      ? 'wep'
      : management === undefined || management === 'none'
        ? 'open'
        : management === 'sae'
          ? 'sae'
          : 'psk',
    hidden: wifi?.get('hidden') === 'true',
    priority: Number(groups.get('connection')?.get('autoconnect-priority') ?? 0),
  });
  return found.list;
}
