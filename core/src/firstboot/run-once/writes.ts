import { utf8 } from '../../bytes';
import { addWords, commandLinePath } from '../command-line';
import { RUN_ONCE_FOLDER, RUN_ONCE_SCRIPT } from '../file-names';
import { CALL_IN_PATH } from '../../net/call-in';
import { isWith } from '../../system/facts';
import { callInScript, callInUnit } from '../call-in';
import { ownService } from '../own-service';
import { wifiKeyfile, wiredKeyfile } from '../keyfile';
import { markText } from '../mark-text';
import type { BaseFiles, CardFile, FirstBootSettings } from '../settings';
import { rootRights } from '../user-rights';
import { runOnceScript } from './script';

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

/** The files of this method for one card. */
export function writeRunOnce(settings: FirstBootSettings, base: BaseFiles): CardFile[] {
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
  if (isWith(base.system, 'avahi')) add('service', ownService(settings.mark));
  if (settings.callIn) {
    const { address, port } = settings.callIn;
    add('call-in/where', `${address} ${String(port)} ${CALL_IN_PATH}${settings.mark}\n`);
    add('call-in/unit', callInUnit);
    add('call-in/script', callInScript);
  }
  const board = settings.files.filter(({ place }) => place === 'board');
  if (board.length > 0)
    add('files/list', board.map(({ mode, path }, at) => `${mode} ${String(at + 1)} ${path}\n`).join(''));
  for (const [at, { content }] of board.entries()) add(`files/${String(at + 1)}`, content);
  if (settings.commands.length > 0) add('commands', `${settings.commands.join('\n')}\n`);
  files.push({ path: RUN_ONCE_SCRIPT, content: utf8(runOnceScript) });
  const path = base.system?.kernelLine?.path ?? commandLinePath(base);
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
}
