import type { Air, DrillCause } from '@nest-mark/core/api';

/** Another letter in the place of the last small one; another sign at the end where there is none. */
const oneLetterOff = (text: string): string =>
  /[a-z]/.test(text)
    ? text.replace(/[a-z](?=[^a-z]*$)/, (letter) => (letter === 'e' ? 'a' : 'e'))
    : text.replace(/.$/u, (sign) => (sign === '7' ? '1' : '7'));

/** The first letter of the second word in its other case; of the first one where there is no second. */
function otherCase(text: string): string {
  const at = text.includes(' ') ? text.indexOf(' ') + 1 : 0;
  const letter = text.charAt(at);
  const other = letter === letter.toLowerCase() ? letter.toUpperCase() : letter.toLowerCase();
  return text.slice(0, at) + other + text.slice(at + 1);
}

/**
 * What a fault of the network changes in the air; null for one that lies elsewhere.
 * @param boards how many boards ask for addresses
 */
export function faultyAir(air: Air, cause: DrillCause, boards: number): Partial<Air> | null {
  switch (cause) {
    case 'network-off':
      return { on: false };
    case 'other-name':
      return { ssid: otherCase(air.ssid) };
    case 'other-key':
      return { passphrase: oneLetterOff(air.passphrase) };
    case 'other-band':
      return { bands: ['5 GHz'] };
    case 'other-country':
      return { country: air.country === 'SE' ? 'NO' : 'SE' };
    case 'hidden':
      return { hidden: true };
    case 'no-address':
      return { poolSize: boards - 1 };
    case 'kept-apart':
      return { apart: true };
    case 'elsewhere':
      return { elsewhere: true };
    default:
      return null;
  }
}
