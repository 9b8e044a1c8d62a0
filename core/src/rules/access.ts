import { isDefaultPassword } from '../access/password';
import { parseKeyList, type KeyLine, type KeyListFault } from '../access/key-list';
import type { SshPublicKey } from '../access/ssh-public-key';
import { userNameFault } from '../access/user-names';
import { toBase64 } from '../bytes';
import type { PasswordFault, PlanView } from '../plan/model';
import { perVariant, type Hit, type Rule, type RuleView } from './rule';

const faultTexts: Record<Exclude<KeyListFault, 'empty'>, { message: string; fix: string }> = {
  private: {
    message: 'is a private key',
    fix: 'Remove it at once and paste the public key instead: the file whose name ends in .pub. Whoever saw it has it: make a new pair.',
  },
  broken: {
    message: 'is not a public key',
    fix: 'Paste the whole line of the .pub file, from its type to its end.',
  },
  cut: { message: 'is cut off', fix: 'Paste the key again as one whole line.' },
  split: { message: 'is broken over several lines', fix: 'Join them again: a key is one line.' },
  'other-form': {
    message: 'is a public key in another form (RFC 4716)',
    fix: 'Write it as one line: type, key, comment.',
  },
  type: {
    message: 'has an unknown key type',
    fix: 'Make a new key, for instance with ssh-keygen -t ed25519.',
  },
  dsa: {
    message: 'is a DSA key, which login services no longer take',
    fix: 'Make a new key, for instance with ssh-keygen -t ed25519.',
  },
  mismatch: {
    message: 'names another type than its content',
    fix: 'Copy the line again from the .pub file.',
  },
  options: {
    message: 'has something before the key that is no option of a login service',
    fix: 'Look at its spelling, or remove what stands before the key’s type.',
  },
};

/** The usable public keys of a list. */
export const usableKeys = (text: string): SshPublicKey[] =>
  parseKeyList(text).flatMap(({ key }) => (typeof key === 'string' ? [] : [key]));

const lineName = ({ line, lastLine }: KeyLine): string =>
  line === lastLine ? `Key line ${String(line)}` : `Key lines ${String(line)} to ${String(lastLine)}`;

/** Runs a check over the keys of the main user, of devices that have others, and of the further users. */
function perKeyList(view: RuleView, check: (lines: KeyLine[]) => Omit<Hit, 'place'>[]): Hit[] {
  const main = perVariant(view, ['keys'], ({ keys }) =>
    check(parseKeyList(keys)).map((hit) => ({ ...hit, place: 'access.keys' })),
  );
  const others = view.plan.access.others.flatMap(({ name, keys }, index) =>
    check(parseKeyList(keys)).map((hit) => ({
      ...hit,
      message: `${name || 'Further user'}: ${hit.message}`,
      place: `access.others.${String(index)}.keys`,
    })),
  );
  return [...main, ...others];
}

const userName: Rule = {
  id: 'user-name',
  title: 'Users’ names can be created, each once',
  why: 'A user that cannot be created leaves a board that nobody can log in to.',
  source: 'adduser’s NAME_REGEX, useradd(8), Debian base-passwd',
  check: (view) => {
    const fix = 'Use a small letter first, then small letters, digits, hyphens or underscores, 32 at most.';
    const judged = (name: string, place: string): Hit[] => {
      const fault = userNameFault(name);
      if (!fault) return [];
      const message =
        name === ''
          ? 'The user’s name is missing.'
          : fault === 'reserved'
            ? `"${name}" belongs to the system.`
            : `"${name}" cannot be a user’s name.`;
      return [{ severity: 'stops', place, message, fix }];
    };
    const { others } = view.plan.access;
    return [
      ...perVariant(view, ['userName'], ({ userName: name }) => judged(name, 'access.userName')),
      ...others.flatMap(({ name }, index): Hit[] => {
        const place = `access.others.${String(index)}.name`;
        const twice =
          view.variants.some(({ settings }) => settings.userName === name) ||
          others.findIndex((other) => other.name === name) < index;
        return twice && name !== ''
          ? [
              {
                severity: 'stops',
                place,
                message: `"${name}" is given twice.`,
                fix: 'Remove one of the two.',
              },
            ]
          : judged(name, place);
      }),
    ];
  },
};

const keyForm: Rule = {
  id: 'key-form',
  title: 'Every key line is a whole public key',
  why: 'A key that is cut, broken over two lines or private lets nobody in; a private key on a card is given away.',
  source: 'RFC 4253 section 6.6, RFC 4716, RFC 8709, sshd(8)',
  check: (view) =>
    perKeyList(view, (lines) =>
      lines.flatMap((entry) => {
        if (typeof entry.key !== 'string' || entry.key === 'empty') return [];
        const { message, fix } = faultTexts[entry.key];
        return [{ severity: 'stops' as const, message: `${lineName(entry)} ${message}.`, fix }];
      }),
    ),
};

const keyStrength: Rule = {
  id: 'key-strength',
  title: 'RSA keys have 2048 bits or more',
  why: 'Shorter RSA keys are refused by current login services.',
  source: 'NIST SP 800-131A revision 2, table 2; RequiredRSASize in sshd_config(5)',
  check: (view) =>
    perKeyList(view, (lines) =>
      lines.flatMap((entry) => {
        const { key } = entry;
        if (typeof key === 'string' || key.type !== 'ssh-rsa' || key.bits >= 2048) return [];
        return [
          {
            severity: 'warns' as const,
            message: `${lineName(entry)} is an RSA key of ${String(key.bits)} bits.`,
            fix: 'Use an ed25519 key or a longer RSA key.',
          },
        ];
      }),
    ),
};

const keyTwice: Rule = {
  id: 'key-twice',
  title: 'No key is given twice',
  why: 'Harmless, but often another person’s key was meant.',
  source: 'common practice',
  check: (view) =>
    perKeyList(view, (lines) => {
      const seen = new Map<string, number>();
      return lines.flatMap((entry) => {
        if (typeof entry.key === 'string') return [];
        const text = toBase64(entry.key.blob);
        const first = seen.get(text);
        if (first === undefined) {
          seen.set(text, entry.line);
          return [];
        }
        const message = `${lineName(entry)} is the key of line ${String(first)} again.`;
        return [{ severity: 'note' as const, message, fix: 'Remove one of the two.' }];
      });
    }),
};

/** Whether there will be a password: one that is kept or typed, or one made for each device. */
export const hasPassword = ({ plan, password }: PlanView): boolean =>
  plan.access.passwordScope === 'each' ||
  password.kind === 'kept' ||
  (password.kind === 'typed' && password.value !== '');

const wayIn: Rule = {
  id: 'way-in',
  title: 'There is at least one way to log in',
  why: 'A headless board without a way in has to be opened and written again.',
  source: 'common practice',
  check: (view) =>
    perVariant(view, ['keys', 'passwordLogin'], ({ keys, passwordLogin }): Hit[] => {
      if (usableKeys(keys).length > 0 || (passwordLogin && hasPassword(view))) return [];
      return [
        {
          severity: 'stops',
          place: 'access.keys',
          message: passwordLogin
            ? 'Nobody could log in: there is no key, and no password is set.'
            : 'Nobody could log in: there is no key, and login by password is off.',
          fix: 'Paste a public key, or switch login by password on and set a password.',
        },
      ];
    }),
};

/** Length below which a login password is called short. */
const PASSWORD_LENGTH = 12;

/** What is wrong with a login password. @param userNames names of the users who will have it */
export const passwordFaults = (password: string, userNames: readonly string[]): PasswordFault[] => [
  ...(password.length < PASSWORD_LENGTH ? (['short'] as const) : []),
  ...(userNames.some((name) => isDefaultPassword(password, name)) ? (['default'] as const) : []),
];

/** Faults of the shared password while it is in use. */
function sharedFaults({ plan, password, variants }: RuleView): readonly PasswordFault[] {
  const used =
    variants.some(({ settings }) => settings.passwordLogin) && plan.access.passwordScope === 'shared';
  if (!used || password.kind === 'missing') return [];
  if (password.kind === 'kept') return password.faults;
  if (password.value === '') return [];
  return passwordFaults(
    password.value,
    variants.map(({ settings }) => settings.userName),
  );
}

const passwordLength: Rule = {
  id: 'password-length',
  title: 'A login password has 12 characters or more',
  why: 'Anybody on the network can try passwords; short ones are found.',
  source: 'common practice; NIST SP 800-63B section 5.1.1 asks for 8 at the least',
  check: (view) =>
    sharedFaults(view).includes('short')
      ? [
          {
            severity: 'warns',
            place: 'access.password',
            message: `The password has fewer than ${String(PASSWORD_LENGTH)} characters.`,
            fix: 'Make one here, or use keys alone.',
          },
        ]
      : [],
};

const passwordDefault: Rule = {
  id: 'password-default',
  title: 'No password that comes with devices, or that is the user’s name',
  why: 'Such passwords are the first that are tried; a board with one belongs to whoever finds it.',
  source: 'common practice; ETSI EN 303 645 provision 5.1-1 (no universal default passwords)',
  check: (view) =>
    sharedFaults(view).includes('default')
      ? [
          {
            severity: 'stops',
            place: 'access.password',
            message: 'The password is one that comes with devices, or the user’s own name.',
            fix: 'Make one here, or use keys alone.',
          },
        ]
      : [],
};

/** Most devices that may share one password before it is mentioned. */
const SHARED_LIMIT = 5;

const passwordShared: Rule = {
  id: 'password-shared',
  title: `No password is shared by more than ${String(SHARED_LIMIT)} devices`,
  why: 'Whoever learns it on one board has all of them.',
  source: 'common practice; ETSI EN 303 645 provision 5.1-1',
  check: ({ plan, variants }) => {
    const count = variants
      .filter(({ settings }) => settings.passwordLogin)
      .reduce((sum, { devices }) => sum + devices.length, 0);
    return plan.access.passwordScope === 'shared' && count > SHARED_LIMIT
      ? [
          {
            severity: 'warns',
            place: 'access.password',
            message: `${String(count)} devices share one password.`,
            fix: 'Let one be made for each device, or use keys alone.',
          },
        ]
      : [];
  },
};

const bringingUp: Rule = {
  id: 'bench-login',
  title: 'The bench can bring up the boards that it is to bring up',
  why: 'Updates, reboots and shutting down are for root: who may not become root on a board can only look at it.',
  source: 'sudo(8), sshd(8)',
  check: ({ plan }) => {
    const { wanted, benchKey } = plan.bringUp;
    if (!wanted && !benchKey) return [];
    const hits: Hit[] = [];
    if (plan.extras.sudo === 'none')
      hits.push({
        severity: 'warns',
        message: 'Boards are to be brought up, and their user may not become root.',
        fix: 'Let the user become root, or bring the boards up by hand.',
        place: 'extras.sudo',
      });
    if (wanted && !benchKey && !plan.access.passwordLogin)
      hits.push({
        severity: 'note',
        message:
          'Boards are to be brought up by this computer’s SSH agent alone: no key of the bench goes onto the cards.',
        fix: 'Have the agent hold one of the keys above, or put the bench’s own key onto the cards.',
        place: 'access.keys',
      });
    return hits;
  },
};

export const accessRules: readonly Rule[] = [
  bringingUp,
  userName,
  keyForm,
  keyStrength,
  keyTwice,
  wayIn,
  passwordLength,
  passwordDefault,
  passwordShared,
];
