import { textOrNull, toHex, utf8 } from '../bytes';
import type { Network, WifiSecurity } from './network';

/**
 * The common text of a Wi-Fi code, as phones show and read it: `WIFI:T:WPA;S:name;P:key;H:true;;`. There is no standard of
 * the first form; fields and escapes are common practice, from memory. With `R` it is the form of the WPA3 specification,
 * section 7, whose values are percent-encoded.
 */
export interface WifiCode {
  /** Octets of the name. */
  ssid: Uint8Array;
  security: WifiSecurity;
  /** The key; empty for an open network. */
  secret: string;
  hidden: boolean;
  /** What somebody should look at before it is believed; empty for nothing. */
  doubt: string;
}

/** Why a text is no code of a network; the message is for people. */
export class WifiCodeError extends Error {
  override readonly name = 'WifiCodeError';
}

/** More is no code: 32 octets of a name and 63 of a key, each escaped, and some fields that are not used here. */
const LONGEST = 2000;
const NEEDS_ESCAPE = /[\\;,:"]/g;

/** Each octet as a character of its own, so that names of any octets go through. */
const octetsAsText = (octets: Uint8Array): string =>
  Array.from(octets, (octet) => String.fromCharCode(octet)).join('');
const textAsOctets = (text: string): Uint8Array<ArrayBuffer> =>
  Uint8Array.from(text, (letter) => letter.charCodeAt(0));

/** Fields of a code, with their escapes still in them. @throws WifiCodeError */
function fieldsOf(text: string): Map<string, string> {
  const fields = new Map<string, string>();
  for (let rest = text; rest !== '' && rest !== ';';) {
    const [whole, key = '', value = ''] = /^([A-Za-z]):((?:\\[\s\S]|[^\\;])*);/.exec(rest) ?? [];
    if (whole === undefined)
      throw new WifiCodeError('The code breaks off, or a field of it is not closed. Copy the whole of it.');
    if (fields.has(key.toUpperCase()))
      throw new WifiCodeError(`The code has ${key.toUpperCase()} twice, so it is not clear what is meant.`);
    fields.set(key.toUpperCase(), value);
    rest = rest.slice(whole.length);
  }
  return fields;
}

const unescaped = (value: string): string => value.replace(/\\([\s\S])/g, '$1');

function unpercent(value: string): string {
  if (/%(?![0-9A-Fa-f]{2})/.test(value))
    throw new WifiCodeError('The code has a % without two digits behind it.');
  return value.replace(/%([0-9A-Fa-f]{2})/g, (_whole, digits: string) =>
    String.fromCharCode(parseInt(digits, 16)),
  );
}

const securityOf = (type: string, rest: Map<string, string>, secret: string): WifiSecurity => {
  switch (type.toUpperCase()) {
    case 'WPA':
    case 'WPA2':
      // Transition is switched off: WPA3 alone.
      return rest.get('R') === '1' ? 'wpa3-sae' : 'wpa2-psk';
    case 'SAE':
    case 'WPA3':
      return 'wpa3-sae';
    case 'WEP':
      return 'wep';
    case 'NOPASS':
      return 'open';
    case '':
      return secret === '' ? 'open' : 'wpa2-psk';
    default:
      throw new WifiCodeError(
        `The code is for a network of the kind "${type.slice(0, 20)}", for which boards cannot be prepared here.`,
      );
  }
};

/**
 * Reads the text of a Wi-Fi code.
 * @param code its text, or its octets as a picture has them
 * @throws WifiCodeError
 */
export function readWifiCode(code: string | Uint8Array): WifiCode {
  const text = octetsAsText(typeof code === 'string' ? utf8(code.trim()) : code).replace(/[\r\n\0]+$/, '');
  if (!/^WIFI:/i.test(text))
    throw new WifiCodeError('This is not the code of a Wi-Fi network: such a code begins with "WIFI:".');
  if (text.length > LONGEST) throw new WifiCodeError('This is too long for the code of a network.');
  const fields = fieldsOf(text.slice(5));
  const decoded = (key: string): string => {
    const raw = fields.get(key) ?? '';
    // In quotes it is text, whatever it looks like.
    const [, quoted] = /^"([\s\S]*)"$/.exec(raw) ?? [];
    if (quoted !== undefined) return unescaped(quoted);
    return fields.has('R') ? unpercent(raw) : unescaped(raw);
  };
  const ssid = textAsOctets(decoded('S'));
  if (ssid.length === 0) throw new WifiCodeError('The code has no name of a network.');
  if (ssid.length > 32)
    throw new WifiCodeError('The name in the code has more than 32 octets; no network can be called so.');
  const secret = textOrNull(textAsOctets(decoded('P')));
  if (secret === null) throw new WifiCodeError('The key in the code is no text in UTF-8.');
  const security = securityOf(decoded('T'), fields, secret);
  const bare = fields.get('S') ?? '';
  return {
    ssid,
    security,
    secret: security === 'open' ? '' : secret,
    hidden: /^(true|1)$/i.test(decoded('H')),
    doubt: /^([0-9A-Fa-f]{2})+$/.test(bare)
      ? 'The name is made of digits and letters a to f only: some codes mean octets by that. Compare it with the air.'
      : '',
  };
}

const TYPE: Record<WifiSecurity, string> = {
  open: 'nopass',
  wep: 'WEP',
  'wpa2-psk': 'WPA',
  'wpa2-wpa3': 'WPA',
  'wpa3-sae': 'SAE',
};

/** The octets of a network's code. Names that readers may take for digits of octets go in quotes. */
export function writeWifiCode({
  ssid,
  security,
  secret,
  hidden,
}: Omit<WifiCode, 'doubt'>): Uint8Array<ArrayBuffer> {
  const escaped = (octets: Uint8Array): string => {
    const text = octetsAsText(octets);
    return /^([0-9A-Fa-f]{2})+$/.test(text) ? `"${text}"` : text.replace(NEEDS_ESCAPE, '\\$&');
  };
  const key = security === 'open' ? '' : `P:${octetsAsText(utf8(secret)).replace(NEEDS_ESCAPE, '\\$&')};`;
  return textAsOctets(`WIFI:T:${TYPE[security]};S:${escaped(ssid)};${key}${hidden ? 'H:true;' : ''};`);
}

/** A network of the shelf as a code has it; what the code does not tell stays. */
export function networkOfCode(network: Network, { ssid, security, hidden }: WifiCode): Network {
  const text = textOrNull(ssid);
  return {
    ...network,
    ssid: text ?? toHex(ssid),
    ssidForm: text === null ? 'hex' : 'text',
    security,
    hidden,
  };
}
