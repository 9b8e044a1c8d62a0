import { fromHex, utf8 } from '../../bytes';
import { shownValue, shownWord } from '../shown';
import type { FieldForm } from './fields';

/** How wpa_supplicant 2.10 reads values (its config.c as seen from outside: every rule here was tried with it). */

/** What a value that is refused should be. */
export interface ValueFault {
  id:
    | 'value-form'
    | 'ssid-form'
    | 'key-mgmt'
    | 'country-unknown'
    | 'quote-open'
    | 'psk-bare'
    | 'passphrase-short'
    | 'passphrase-form';
  what: string;
  advice: string;
}

const escapes: Readonly<Record<string, number>> = { n: 10, r: 13, t: 9, e: 27, '"': 34, '\\': 92 };

/** Octets of P"…" with its C escapes. */
function unescapedOctets(text: string): Uint8Array {
  const octets: number[] = [];
  for (const [, hex, octal, escape, plain] of text.matchAll(
    /\\x([0-9a-fA-F]{1,2})|\\([0-7]{1,3})|\\(.)|([^\\]+)/gsu,
  ))
    if (hex !== undefined) octets.push(parseInt(hex, 16));
    else if (octal !== undefined) octets.push(parseInt(octal, 8) & 255);
    else if (escape !== undefined) {
      const octet = escapes[escape];
      if (octet !== undefined) octets.push(octet);
    } else octets.push(...utf8(plain ?? ''));
  return Uint8Array.from(octets);
}

/** Octets of a text value: in quotes its letters, in P"…" with escapes, else hexadecimal digits; null when none of it. */
export function octetsOf(value: string): Uint8Array | null {
  const quoted = /^"(.*)"$/s.exec(value);
  if (quoted) return utf8(quoted[1] ?? '');
  const printed = /^P"(.*)"$/s.exec(value);
  if (printed) return unescapedOctets(printed[1] ?? '');
  return value === '' || value === 'NULL' ? new Uint8Array() : fromHex(value);
}

/** A passphrase as it is taken out of its quotes: up to the last mark, whatever follows; null when it has none. */
export function quotedPassphrase(value: string): string | null {
  if (!value.startsWith('"')) return null;
  const end = value.lastIndexOf('"');
  return end > 0 ? value.slice(1, end) : value.slice(1);
}

/** The number that C's strtol makes of a text with base 0; null when something is left over. */
function wholeNumber(value: string): number | null {
  const match = /^[ \t\v\f\r]*([+-]?)(0[xX][0-9a-fA-F]+|0[0-7]*|[1-9][0-9]*)?$/.exec(value);
  if (!match || (match[1] !== '' && match[2] === undefined)) return null;
  const digits = match[2] ?? '0';
  const size = /^0[0-7]+$/.test(digits) ? parseInt(digits, 8) : Number(digits);
  return match[1] === '-' ? -size : size;
}

function numberFault(key: string, value: string, from: number | null, to: number | null): ValueFault | null {
  const number = wholeNumber(value);
  if (number !== null && (from === null || number >= from) && (to === null || number <= to)) return null;
  const least = Math.max(0, from ?? 0);
  const advice =
    to === null
      ? `${key}=, and a whole number`
      : to - least < 3
        ? Array.from({ length: to - least + 1 }, (_none, at) => `${key}=${String(least + at)}`).join(' or ')
        : `${key}=, and a whole number of ${String(least)} to ${String(to)}`;
  return { id: 'value-form', what: `${shownValue(value)} is no value of ${key}.`, advice };
}

const unclosed = (key: string): ValueFault => ({
  id: 'quote-open',
  what: `A quotation mark of ${key} is not closed.`,
  advice: 'Put a plain " before and behind the text.',
});

function passphraseFault(value: string): ValueFault | null {
  const passphrase = quotedPassphrase(value);
  if (passphrase === null)
    return /^[0-9A-Fa-f]{64}$/.test(value)
      ? null
      : {
          id: 'psk-bare',
          what: 'A passphrase stands without quotation marks.',
          advice:
            'psk="…", in plain quotation marks; without them it must be a key of 64 hexadecimal digits.',
        };
  const { length } = utf8(passphrase);
  if (length < 8)
    return {
      id: 'passphrase-short',
      what: `A passphrase has ${String(length)} characters; 8 are the least.`,
      advice: 'Type the passphrase of the access point, 8 to 63 characters.',
    };
  if (length > 63 || /[\x00-\x1f\x7f]/.test(passphrase))
    return {
      id: 'passphrase-form',
      what:
        length > 63
          ? `A passphrase has ${String(length)} octets; 63 are the most.`
          : 'A passphrase holds a control character.',
      advice: '8 to 63 characters of plain ASCII, or a key of 64 hexadecimal digits.',
    };
  return null;
}

function wordsFault(key: string, value: string, of: ReadonlySet<string>): ValueFault | null {
  const given = value.split(/[ \t]+/).filter((word) => word !== '');
  const unknown = given.find((word) => !of.has(word));
  if (unknown === undefined && given.length > 0) return null;
  return {
    id: key === 'key_mgmt' ? 'key-mgmt' : 'value-form',
    what:
      unknown === undefined
        ? `${key} has no value.`
        : key === 'key_mgmt'
          ? `${shownWord(unknown)} is no key management.`
          : `${shownWord(unknown)} is no value of ${key}.`,
    advice: key === 'key_mgmt' ? 'WPA-PSK, SAE or NONE' : [...of].slice(0, 4).join(', '),
  };
}

/** Why wpa_supplicant refuses a value of a setting, and with it the file; null when it takes it. Repeats no secret. */
export function valueFault(key: string, field: FieldForm, value: string): ValueFault | null {
  switch (field.form) {
    case 'number':
      return numberFault(key, value, field.from, field.to);
    case 'words':
      return wordsFault(key, value, field.of);
    case 'psk':
      return /^"[^"]*$/.test(value) ? unclosed(key) : passphraseFault(value);
    case 'country':
      return utf8(value).length >= 2
        ? null
        : {
            id: 'country-unknown',
            what: `${shownValue(value)} is not a country.`,
            advice: 'country=DK, for instance',
          };
    case 'address':
      return /^(|""|any|"any"|([0-9a-f]{2}:){5}[0-9a-f]{2}.*)$/i.test(value)
        ? null
        : {
            id: 'value-form',
            what: `What stands behind ${key}= is no hardware address.`,
            advice: 'bssid=00:00:5e:00:53:01, for instance; or take the line away',
          };
    case 'text':
    case 'wep-key': {
      const octets = octetsOf(value);
      const most = key === 'ssid' ? 32 : field.form === 'wep-key' ? 16 : Infinity;
      if (octets && octets.length <= most && !(field.form === 'wep-key' && value === 'NULL')) return null;
      if (!octets && /^P?"/.test(value)) return unclosed(key);
      return {
        id: key === 'ssid' ? 'ssid-form' : 'value-form',
        what: octets
          ? `${key} has ${String(octets.length)} octets; ${String(most)} are the most.`
          : `${key} is neither text in quotes nor hexadecimal digits.`,
        advice: `${key}="…", in plain quotation marks`,
      };
    }
    case 'any':
      return null;
  }
}
