/** Accounts that a fresh Debian system has already (base-passwd's master file), which a plan must not take. */
const reserved = new Set(
  (
    'root daemon bin sys sync games man lp mail news uucp proxy www-data backup list irc _apt nobody ' +
    'messagebus sshd systemd-network systemd-resolve systemd-timesync'
  ).split(' '),
);

export type UserNameFault = 'form' | 'reserved';

/**
 * What is wrong with a user name, or null: a small letter, then small letters, digits, hyphens or underscores,
 * at most 32 (adduser's default NAME_REGEX and the limit of useradd).
 */
export function userNameFault(name: string): UserNameFault | null {
  if (!/^[a-z][a-z0-9_-]{0,31}$/.test(name)) return 'form';
  return reserved.has(name) ? 'reserved' : null;
}
