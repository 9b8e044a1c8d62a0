import { listed } from '../../listed';
import { readMark } from '../../plan/mark-file';
import { utf8 } from '../../bytes';
import type { Expected } from '../expected';
import { judgedBy, said, unknown, type Answers, type BoardFinding, type Step } from '../model';
import {
  FILE_LINE,
  hasShell,
  readAccounts,
  readKeys,
  readPasswords,
  readSavedNetworks,
  readSshd,
} from '../readers';
import { shellWord } from '../../formats/shell/word';

/** Whether a running board is what the plan says. Each part looks at one thing and says what is otherwise. */
type Part = (answers: Answers, expected: Expected) => BoardFinding[];

const warns = (text: string, todo: string): BoardFinding => ({ severity: 'warns', text, todo });
const note = (text: string, todo: string): BoardFinding => ({ severity: 'note', text, todo });

const name: Part = (answers, { hostName }) => {
  const running = said(answers, 'name');
  const kept = said(answers, 'name-kept');
  if (running === null) return [note('The board did not tell its name.', 'Ask it by hand: uname -n')];
  // Some systems carry the whole name, domain and all.
  const short = (text: string): string => text.split('.')[0] ?? '';
  if (short(running) !== hostName)
    return [
      warns(
        kept !== null && short(kept) === hostName
          ? `It runs as ${running}; ${hostName} is set and comes with the next reboot.`
          : `Its name is ${running}, planned is ${hostName}.`,
        `sudo hostnamectl set-hostname ${hostName}`,
      ),
    ];
  return kept !== null && short(kept) !== hostName
    ? [
        warns(
          `It runs as ${hostName}, and will be ${kept} after a reboot.`,
          `sudo hostnamectl set-hostname ${hostName}`,
        ),
      ]
    : [];
};

const mark: Part = (answers, expected) => {
  const text = said(answers, 'mark');
  if (text === null)
    return [note('The system has no file with the mark.', 'Its card’s first-boot method writes none.')];
  const found = readMark(utf8(text));
  return found?.mark === expected.mark
    ? []
    : [
        warns(
          found
            ? `The mark on its system is ${found.mark}, planned is ${expected.mark}.`
            : 'The file with its mark is spoilt.',
          'The card may be another device’s: compare it with the label, and write it anew.',
        ),
      ];
};

const people: Part = (answers, { users }) => {
  const text = said(answers, 'people');
  if (text === null)
    return [note('The board did not tell who has an account.', 'Ask it by hand: getent passwd')];
  const accounts = readAccounts(text);
  const passwords = readPasswords(said(answers, 'passwords') ?? '');
  const keys = readKeys(said(answers, 'keys') ?? '', true);
  const findings: BoardFinding[] = [];
  for (const user of users)
    if (!accounts.some((account) => account.name === user.name))
      findings.push(
        warns(`The user ${user.name} is not there.`, 'Write the card anew, or add the user by hand.'),
      );
  const planned = new Set(users.map((user) => user.name));
  for (const account of accounts) {
    const password = passwords.get(account.name);
    if (password === 'none')
      findings.push(warns(`${account.name} has an empty password.`, `sudo passwd -l ${account.name}`));
    if (planned.has(account.name) || !hasShell(account)) continue;
    const ways = [
      ...(password === 'set' ? ['a password'] : []),
      ...((keys.get(account.name)?.length ?? 0) > 0 ? ['a key'] : []),
    ];
    if (ways.length > 0)
      findings.push(
        warns(
          `${account.name} can log in by ${listed(ways)} and is not in the plan.`,
          account.uid === 0
            ? 'sudo passwd -l root, and take the keys out of /root/.ssh/authorized_keys'
            : `If it is the image’s own account: sudo usermod --lock --expiredate 1 ${account.name}`,
        ),
      );
  }
  return findings;
};

const keys: Part = (answers, { users, benchKey }) => {
  const text = said(answers, 'keys');
  if (text === null)
    return [note('The keys could not be read without root.', 'Compare ~/.ssh/authorized_keys by hand.')];
  const found = readKeys(text);
  return users.flatMap((user): BoardFinding[] => {
    const there = new Set(found.get(user.name) ?? []);
    const away = user.keys.filter((key) => !there.has(key)).length;
    const more = [...there].filter((key) => !user.keys.includes(key) && key !== benchKey).length;
    return [
      ...(away > 0
        ? [
            warns(
              `${String(away)} of ${String(user.keys.length)} planned keys of ${user.name} ${away === 1 ? 'is' : 'are'} not there.`,
              `Add ${away === 1 ? 'it' : 'them'} to ~${user.name}/.ssh/authorized_keys`,
            ),
          ]
        : []),
      ...(more > 0
        ? [
            warns(
              `${user.name} lets in ${String(more)} ${more === 1 ? 'key that is' : 'keys that are'} not in the plan.`,
              `Look at ~${user.name}/.ssh/authorized_keys; put the key into the plan or take it out there.`,
            ),
          ]
        : []),
    ];
  });
};

const login: Part = (answers, { passwordLogin }) => {
  const text = said(answers, 'login');
  if (text === null) return [note('The login service’s settings could not be read.', 'sudo sshd -T')];
  const settings = readSshd(text);
  const byPassword =
    settings.get('passwordauthentication') === 'yes' ||
    settings.get('kbdinteractiveauthentication') === 'yes';
  const findings: BoardFinding[] = [];
  if (byPassword && !passwordLogin)
    findings.push(
      warns(
        'Login by password is open, and planned is by key alone.',
        'PasswordAuthentication no and KbdInteractiveAuthentication no in a file of /etc/ssh/sshd_config.d, then reload the service.',
      ),
    );
  if (!byPassword && passwordLogin)
    findings.push(
      warns(
        'Login by password is closed, and planned is open.',
        'PasswordAuthentication yes in a file of /etc/ssh/sshd_config.d',
      ),
    );
  if (settings.get('permitrootlogin') === 'yes')
    findings.push(
      warns(
        'Root may log in by password.',
        'PermitRootLogin prohibit-password in a file of /etc/ssh/sshd_config.d',
      ),
    );
  return findings;
};

const region: Part = (answers, expected) => {
  const findings: BoardFinding[] = [];
  const zone = /zoneinfo\/(?:posix\/|right\/)?(.+)$/.exec(said(answers, 'zone') ?? '')?.[1] ?? null;
  // Names of one zone that were put together (tz database, file backward) are told apart by their rules, not here.
  if (expected.timeZone !== '' && zone !== null && zone !== expected.timeZone)
    findings.push(
      warns(
        `Its time zone is ${zone}, planned is ${expected.timeZone}.`,
        `sudo timedatectl set-timezone ${expected.timeZone}`,
      ),
    );
  const locale = /^LANG="?([^"\n]*)"?$/m.exec(said(answers, 'locale') ?? '')?.[1] ?? '';
  const alike = (one: string): string => one.toLowerCase().replace(/utf-?8/, 'utf8');
  if (expected.locale !== '' && locale !== '' && alike(locale) !== alike(expected.locale))
    findings.push(
      warns(
        `Its locale is ${locale}, planned is ${expected.locale}.`,
        `sudo localectl set-locale LANG=${expected.locale}`,
      ),
    );
  else if (expected.locale !== '' && locale !== '') {
    const there = said(answers, 'locales');
    if (there !== null && !there.split('\n').some((one) => alike(one) === alike(expected.locale)))
      findings.push(
        warns(`The locale ${expected.locale} is set and was never generated, so it is C.`, 'sudo locale-gen'),
      );
  }
  const keyboard = said(answers, 'keyboard');
  if (expected.keyboard !== '' && keyboard !== null) {
    const value = (key: string): string =>
      new RegExp(`^${key}="?([^"\\n]*)"?$`, 'm').exec(keyboard)?.[1] ?? '';
    const got = `${value('XKBLAYOUT')} ${value('XKBVARIANT')}`.trim();
    if (got !== '' && got !== expected.keyboard)
      findings.push(
        warns(
          `Its keyboard is ${got}, planned is ${expected.keyboard}.`,
          'sudo dpkg-reconfigure keyboard-configuration',
        ),
      );
  }
  const country = /\b([A-Z]{2})\b/.exec(said(answers, 'country') ?? '')?.[1] ?? '';
  // 00 is the world's least common rules, and what a radio has that nobody told its country.
  if (
    expected.country !== '' &&
    expected.networks.length > 0 &&
    country !== '' &&
    country !== expected.country
  )
    findings.push(
      warns(
        `Its radio follows the rules of ${country}, planned is ${expected.country}.`,
        `sudo iw reg set ${expected.country}`,
      ),
    );
  return findings;
};

const networks: Part = (answers, expected) => {
  const text = said(answers, 'networks');
  if (text === null)
    return expected.networks.length === 0
      ? []
      : [note('The saved networks could not be read without root.', 'sudo nmcli connection show')];
  const found = readSavedNetworks(text);
  const findings: BoardFinding[] = [];
  for (const network of expected.networks)
    if (!found.some(({ hex }) => hex === network.hex))
      findings.push(
        warns(`The network ${network.shown} is not saved on it.`, 'Write the card anew, or add it by hand.'),
      );
  for (const { hex, shown } of found)
    if (!expected.networks.some((network) => network.hex === hex))
      findings.push(
        warns(
          `It also joins ${shown}, which is not in the plan.`,
          'Put it into the plan, or take it off the board.',
        ),
      );
  const ranks = found.filter(({ priority }) => priority !== null);
  const order = (list: readonly { hex: string; priority: number | null }[]): string =>
    list
      .filter(
        ({ hex }) => ranks.some((one) => one.hex === hex) && expected.networks.some((one) => one.hex === hex),
      )
      .sort((a, b) => (b.priority ?? 0) - (a.priority ?? 0) || a.hex.localeCompare(b.hex))
      .map(({ hex }) => hex)
      .join();
  if (order(ranks) !== order(expected.networks))
    findings.push(
      warns(
        'It prefers its networks in another order than planned.',
        'Set autoconnect-priority as in the plan.',
      ),
    );
  return findings;
};

const parts: readonly Part[] = [name, mark, people, keys, login, region, networks];

// Nothing of a key or passphrase is printed: lines that hold one are left out on the board itself.
const savedNetworks = `for f in /etc/NetworkManager/system-connections/* /run/NetworkManager/system-connections/* \\
    /etc/wpa_supplicant/*.conf /run/netplan/wpa-*.conf; do
    [ -f "$f" ] || continue
    printf '${FILE_LINE}%s\\n' "$f"
    grep -ivE '^[[:space:]]*(psk|wep-key|wep_key|sae_password|password|private|leap|pin|key-?data|secret|#psk)' "$f"
done
true`;

const accountKeys = `getent passwd | while IFS=: read -r n _ u _ _ h _; do
    [ "$u" -eq 0 ] || [ "$u" -ge 1000 ] || continue
    f=$h/.ssh/authorized_keys
    [ -f "$f" ] && sed "s/^/$n /" "$f"
    true
done`;

export const asPlanned: Step = {
  id: 'as-planned',
  title: 'Is as planned',
  why: 'A card that was written right can still make another board: a first boot that broke half-way, an account that the image brought along, a locale that was never generated.',
  source:
    'hostnamectl(1), getent(1), sshd(8) -T, localtime(5), locale(5), keyboard(5), nm-settings-keyfile(5), wpa_supplicant.conf(5), iw(8)',
  questions: ({ userName }) => [
    { id: 'name', command: 'uname -n', root: false },
    { id: 'name-kept', command: 'hostnamectl --static || cat /etc/hostname', root: false },
    { id: 'mark', command: 'cat /etc/nest-mark.json', root: false },
    {
      id: 'people',
      command: `getent passwd | awk -F: '$3==0||($3>=1000&&$3<65000)'`,
      root: false,
    },
    {
      id: 'passwords',
      command: `getent shadow | awk -F: '{print $1,($2==""?"none":($2~/^[!*]/?"locked":"set"))}'`,
      root: true,
    },
    { id: 'keys', command: accountKeys, root: true },
    {
      id: 'login',
      command: `sshd -T -C user=${shellWord(userName)},host=bench,addr=127.0.0.1 | grep -E '^(passwordauthentication|kbdinteractiveauthentication|permitrootlogin|pubkeyauthentication) '`,
      root: true,
    },
    { id: 'zone', command: 'readlink -f /etc/localtime', root: false },
    { id: 'locale', command: 'cat /etc/default/locale 2>/dev/null || cat /etc/locale.conf', root: false },
    { id: 'locales', command: 'locale -a', root: false },
    { id: 'keyboard', command: 'cat /etc/default/keyboard', root: false },
    { id: 'networks', command: savedNetworks, root: true },
    { id: 'country', command: `iw reg get | sed -n 's/^country \\(..\\):.*/\\1/p' | head -n 1`, root: false },
  ],
  judge: ({ answers, expected }) =>
    said(answers, 'name') === null && said(answers, 'people') === null
      ? unknown('The board answered neither what it is called nor who has an account.')
      : judgedBy(
          parts.flatMap((part) => part(answers, expected)),
          'Name, mark, users, keys, login, region and networks are as planned.',
        ),
  change: null,
  byHand: '',
  last: false,
  minutes: 0,
};
