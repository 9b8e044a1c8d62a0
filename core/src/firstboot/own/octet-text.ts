import { utf8 } from '../../bytes';

/** Texts with one character for each octet, so that what is no UTF-8 can be matched and compared like a text. */

const isAscii = /^[\x00-\x7f]*$/;

/** Octets as such a text. */
export function octetText(octets: Uint8Array): string {
  let text = '';
  // In parts, since a call takes only so many arguments.
  for (let at = 0; at < octets.length; at += 4096)
    text += String.fromCharCode.apply(null, octets.subarray(at, at + 4096) as unknown as number[]);
  return text;
}

/** The UTF-8 octets of a text as such a text. */
export const utf8Text = (text: string): string => (isAscii.test(text) ? text : octetText(utf8(text)));

/** The octets of such a text. */
export function octetsFrom(text: string): Uint8Array {
  const octets = new Uint8Array(text.length);
  for (let at = 0; at < text.length; at++) octets[at] = text.charCodeAt(at);
  return octets;
}
