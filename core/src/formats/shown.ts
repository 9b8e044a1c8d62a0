/**
 * What of a card may be repeated in a finding. Findings are shown on screens and handed on, and a spoilt file can have
 * its passphrase in any place: on a line that an editor broke or joined, behind another setting, as a name.
 */

/** A short word in quotes, as a value of a setting; anything longer or with more than letters in it is not repeated. */
export const shownWord = (word: string): string =>
  /^[A-Za-z-]{1,16}$/.test(word) ? `"${word}"` : 'What stands there';

/** A short value in quotes that may be a number. */
export const shownValue = (value: string): string =>
  /^[\w.+-]{1,4}$/.test(value) ? `"${value}"` : shownWord(value);

const secretSetting = /(psk|sae_password|password|passwd|wep[-_]key\d?)(\s*[=:]).*$/s;

/** The name of a network; what begins a secret setting within it, because two lines became one, is cut off. */
export const shownName = (name: string): string => name.replace(secretSetting, '$1$2…');

/** Where in a file of nested names something stands; names that are none of a setting are left out. */
export const shownPath = (path: readonly (string | number)[]): string =>
  path
    .map((part) => (typeof part === 'number' || /^[a-z0-9_-]{1,24}$/.test(part) ? String(part) : '…'))
    .join('.') || 'The file';
