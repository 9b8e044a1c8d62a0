/** Characters of made passwords: letters and digits without those that are taken for one another (common practice). */
export const passwordAlphabet = 'abcdefghijkmnpqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789';

/** Entropy of a password whose characters are drawn evenly and apart from each other, in bits. */
export const passwordBits = (length: number, alphabet: number = passwordAlphabet.length): number =>
  length * Math.log2(alphabet);

/** Length of a made password: 93 bits, above the 80 that last against offline guessing (common practice). */
export const MADE_PASSWORD_LENGTH = 16;

/**
 * Makes a password.
 * @param random a whole number from 0 up to, but without, `below`, evenly drawn
 */
export function makePassword(random: (below: number) => number, length = MADE_PASSWORD_LENGTH): string {
  return Array.from({ length }, () => passwordAlphabet.charAt(random(passwordAlphabet.length))).join('');
}

/** Passwords that are tried first on any device (common practice; lists of default logins hold all of them). */
const common = new Set(
  (
    'password passw0rd password1 123456 12345678 123456789 1234567890 admin administrator root toor user guest ' +
    'default changeme change-me letmein welcome secret qwerty abc123 iloveyou test linux'
  ).split(' '),
);

/** Whether a password is one that comes with devices, or the user's own name. */
export function isDefaultPassword(password: string, userName: string): boolean {
  const small = password.trim().toLowerCase();
  return small !== '' && (common.has(small) || small === userName.trim().toLowerCase());
}
