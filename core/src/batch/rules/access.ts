import { parsePublicKey, type KeyFault, type SshPublicKey } from '../../access/ssh-public-key';
import { toBase64 } from '../../bytes';
import { userNameFault } from '../../access/user-names';
import type { Plan } from '../model';
import type { Hit, Rule } from './rule';

const faultTexts: Record<Exclude<KeyFault, 'empty'>, { message: string; fix: string }> = {
  private: {
    message: 'is part of a private key',
    fix: 'Remove it at once and paste the public key instead: the file whose name ends in .pub.',
  },
  broken: {
    message: 'is not a public key',
    fix: 'Paste the whole line of the .pub file, from its type to its end.',
  },
  cut: { message: 'is cut off or broken over two lines', fix: 'Paste the key again as one line.' },
  type: {
    message: 'has an unknown or outdated key type',
    fix: 'Make a new key, for instance with ssh-keygen -t ed25519.',
  },
  mismatch: {
    message: 'names another type than its content',
    fix: 'Copy the line again from the .pub file.',
  },
  options: { message: 'has options before the key', fix: 'Remove what stands before the key’s type.' },
};

/** The key lines of a plan with what each one is; blank lines and comments are left out. */
export function keyLines(plan: Plan): { line: number; key: SshPublicKey | KeyFault }[] {
  return plan.access.keys
    .split(/\r\n|\r|\n/)
    .map((text, index) => ({ line: index + 1, text: text.trim() }))
    .filter(({ text }) => text !== '' && !text.startsWith('#'))
    .map(({ line, text }) => ({ line, key: parsePublicKey(text) }));
}

/** The usable public keys of a plan. */
export const plannedKeys = (plan: Plan): SshPublicKey[] =>
  keyLines(plan).flatMap(({ key }) => (typeof key === 'string' ? [] : [key]));

const userName: Rule = {
  id: 'user-name',
  title: 'The user’s name can be created',
  why: 'A user that cannot be created leaves a board that nobody can log in to.',
  source: 'adduser’s NAME_REGEX, useradd(8), Debian base-passwd',
  check: ({ plan }) => {
    const name = plan.access.userName;
    const fault = userNameFault(name);
    if (!fault) return [];
    const message =
      name === ''
        ? 'The user’s name is missing.'
        : fault === 'reserved'
          ? `"${name}" belongs to the system.`
          : `"${name}" cannot be a user’s name.`;
    const fix = 'Use a small letter first, then small letters, digits, hyphens or underscores, 32 at most.';
    return [{ severity: 'stops', place: 'access.userName', message, fix }];
  },
};

const keyForm: Rule = {
  id: 'key-form',
  title: 'Every key line is a whole public key',
  why: 'A key that is cut, broken over two lines or private lets nobody in; a private key on a card is given away.',
  source: 'RFC 4253 section 6.6, RFC 8709, sshd(8)',
  check: ({ plan }) =>
    keyLines(plan).flatMap(({ line, key }): Hit[] => {
      if (typeof key !== 'string' || key === 'empty') return [];
      const { message, fix } = faultTexts[key];
      return [
        { severity: 'stops', place: 'access.keys', message: `Key line ${String(line)} ${message}.`, fix },
      ];
    }),
};

const keyStrength: Rule = {
  id: 'key-strength',
  title: 'RSA keys have 2048 bits or more',
  why: 'Shorter RSA keys are refused by current login services.',
  source: 'NIST SP 800-131A revision 2, table 2; RequiredRSASize in sshd_config(5)',
  check: ({ plan }) =>
    keyLines(plan).flatMap(({ line, key }): Hit[] => {
      if (typeof key === 'string' || key.type !== 'ssh-rsa' || key.bits >= 2048) return [];
      const message = `Key line ${String(line)} is an RSA key of ${String(key.bits)} bits.`;
      return [
        { severity: 'warns', place: 'access.keys', message, fix: 'Use an ed25519 key or a longer RSA key.' },
      ];
    }),
};

const keyTwice: Rule = {
  id: 'key-twice',
  title: 'No key is given twice',
  why: 'Harmless, but often another person’s key was meant.',
  source: 'common practice',
  check: ({ plan }) => {
    const seen = new Map<string, number>();
    return keyLines(plan).flatMap(({ line, key }): Hit[] => {
      if (typeof key === 'string') return [];
      const text = toBase64(key.blob);
      const first = seen.get(text);
      if (first === undefined) {
        seen.set(text, line);
        return [];
      }
      const message = `Key line ${String(line)} is the key of line ${String(first)} again.`;
      return [{ severity: 'note', place: 'access.keys', message, fix: 'Remove one of the two.' }];
    });
  },
};

const wayIn: Rule = {
  id: 'way-in',
  title: 'There is at least one way to log in',
  why: 'A headless board without a way in has to be opened and written again.',
  source: 'common practice',
  check: ({ plan, secrets }) => {
    if (plannedKeys(plan).length > 0) return [];
    const password = secrets.userPassword;
    const hasPassword = password.kind === 'kept' || (password.kind === 'typed' && password.value !== '');
    if (plan.access.passwordLogin && hasPassword) return [];
    return [
      {
        severity: 'stops',
        place: 'access.keys',
        message: plan.access.passwordLogin
          ? 'Nobody could log in: there is no key, and no password is set.'
          : 'Nobody could log in: there is no key, and login by password is off.',
        fix: 'Paste a public key, or switch login by password on and set a password.',
      },
    ];
  },
};

const passwordStrength: Rule = {
  id: 'password-length',
  title: 'A login password has 12 characters or more',
  why: 'Anybody on the network can try passwords; short ones are found.',
  source: 'common practice; NIST SP 800-63B section 5.1.1 asks for 8 at the least',
  check: ({ plan, secrets: { userPassword: secret } }) =>
    plan.access.passwordLogin && secret.kind === 'typed' && secret.value !== '' && secret.value.length < 12
      ? [
          {
            severity: 'warns',
            place: 'access.password',
            message: `The password has ${String(secret.value.length)} characters.`,
            fix: 'Use a longer one, or keys alone.',
          },
        ]
      : [],
};

export const accessRules: readonly Rule[] = [
  userName,
  keyForm,
  keyStrength,
  keyTwice,
  wayIn,
  passwordStrength,
];
