import { utf8 } from '../../bytes';
import { allBut } from '../carried';
import { addWords, commandLinePath } from '../command-line';
import { wifiKeyfile, wiredKeyfile } from '../keyfile';
import { markText } from '../mark-text';
import type { CardFile, FirstBootMethod, FirstBootSettings } from '../method';
import { rootRights } from '../user-rights';
import { runOnceScript } from './script';

/** Name of the script on the boot partition, and of the folder of its settings. */
export const RUN_ONCE_SCRIPT = 'run-once.sh';
export const RUN_ONCE_FOLDER = 'run-once';
/** What the script leaves behind. */
export const RUN_ONCE_LOG = 'run-once.log';

/** Programs of an image without which the script would do half of its work. */
const generator = [
  '/usr/lib/systemd/system-generators/systemd-run-generator',
  '/lib/systemd/system-generators/systemd-run-generator',
];
const managers = ['/usr/sbin/NetworkManager', '/sbin/NetworkManager'];

/**
 * Words of the kernel's command line that start the script (kernel-command-line(7), systemd-run-generator(8)), and the
 * country for the radio (Linux documentation, `cfg80211.ieee80211_regdom`), which stays.
 */
export const startWords = (mountedAt: string, country: string): string[] => [
  ...(country === '' ? [] : [`cfg80211.ieee80211_regdom=${country}`]),
  `systemd.run=${mountedAt}/${RUN_ONCE_SCRIPT}`,
  'systemd.run_success_action=reboot',
  'systemd.run_failure_action=reboot',
];

function userLine(name: string, hash: string | null, sudo: string, groups: readonly string[]): string {
  return `${name}:${hash ?? '!'}:${sudo}:${groups.join(',')}\n`;
}

function users({ user, others }: FirstBootSettings): string {
  const rights = rootRights(user);
  const main = userLine(user.name, user.passwordHash, rights, [
    'adm',
    ...(rights === 'none' ? [] : ['sudo']),
    ...user.groups,
  ]);
  const further = others.map(({ name, sudo }) =>
    userLine(name, null, sudo ? 'free' : 'none', sudo ? ['sudo'] : []),
  );
  return [main, ...further].join('');
}

const login = ({ user }: FirstBootSettings): string =>
  `PasswordAuthentication ${user.passwordLogin && user.passwordHash !== null ? 'yes' : 'no'}\nKbdInteractiveAuthentication no\nPermitRootLogin no\n`;

const keyboard = ({ layout, variant }: NonNullable<FirstBootSettings['keyboard']>): string =>
  `XKBMODEL="pc105"\nXKBLAYOUT="${layout}"\nXKBVARIANT="${variant}"\nXKBOPTIONS=""\nBACKSPACE="guess"\n`;

export const runOnce: FirstBootMethod = {
  id: 'run-once',
  title: 'Run-once script (started from the kernel’s command line)',
  // The network is not up yet when it runs.
  carries: allBut('refresh', 'packages'),

  async detect({ root, base }) {
    const path = commandLinePath(base);
    if (path === null || !root) return null;
    const has = async (paths: readonly string[]): Promise<boolean> => {
      for (const one of paths) if (await root.readFile(one, 1)) return true;
      return false;
    };
    if (!(await has(generator)) || !(await has(managers))) return null;
    return `${path} holds the kernel’s command line, and the system can run a program from it and has NetworkManager.`;
  },

  files(settings, base): CardFile[] {
    const files: CardFile[] = [];
    const add = (path: string, text: string): void => {
      files.push({ path: `${RUN_ONCE_FOLDER}/${path}`, content: utf8(text) });
    };
    add('host-name', `${settings.hostName}\n`);
    add('users', users(settings));
    for (const { name, keys } of [settings.user, ...settings.others])
      if (keys.length > 0) add(`keys/${name}`, `${keys.join('\n')}\n`);
    add('login', login(settings));
    add('host-key', settings.hostKey.privateText);
    add('host-key.pub', `${settings.hostKey.publicLine}\n`);
    for (const [place, network] of settings.networks.entries())
      add(`networks/nest-${String(place + 1)}.nmconnection`, wifiKeyfile(network, settings, place));
    if (settings.wired) add('networks/nest-wired.nmconnection', wiredKeyfile(settings.wired, settings));
    add('time-zone', `${settings.timeZone}\n`);
    add('locale', `${settings.locale}\n`);
    if (settings.keyboard) add('keyboard', keyboard(settings.keyboard));
    add('mark', markText(settings));
    const board = settings.files.filter(({ place }) => place === 'board');
    if (board.length > 0)
      add('files/list', board.map(({ mode, path }, at) => `${mode} ${String(at + 1)} ${path}\n`).join(''));
    for (const [at, { content }] of board.entries()) add(`files/${String(at + 1)}`, content);
    if (settings.commands.length > 0) add('commands', `${settings.commands.join('\n')}\n`);
    files.push({ path: RUN_ONCE_SCRIPT, content: utf8(runOnceScript) });
    const path = commandLinePath(base);
    const text = path === null ? undefined : base.texts.get(path);
    // Last: a card on which something is missing must not start a script that is not there.
    if (path !== null && text !== undefined)
      files.push({
        path,
        content: utf8(
          addWords(
            path,
            text,
            startWords(base.mountedAt, settings.networks.length > 0 ? settings.country : ''),
          ),
        ),
      });
    return files;
  },
};
