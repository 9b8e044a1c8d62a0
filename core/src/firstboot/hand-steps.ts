import { textOrNull } from '../bytes';
import { typedWord } from '../formats/shell/word';
import { keyfileSsid } from './keyfile';
import type { FirstBootSettings, NetworkSettings } from './settings';
import { rootRights } from './user-rights';

/** One step of setting a board up by hand: what to do, and what to type. */
export interface HandStep {
  text: string;
  /** Commands for a POSIX shell, to be copied. */
  commands: string[];
}

/** How one gets at a board that takes nothing from its card. */
export type HandWay = 'wire' | 'screen' | 'other-board';

export const handWayTitles: Record<HandWay, string> = {
  wire: 'By wire',
  screen: 'By screen and keyboard',
  'other-board': 'In another board of the same model',
};

const begin: Record<HandWay, string[]> = {
  wire: [
    'Plug the board into the network by cable, then power it.',
    'Find its address: compare the list of the address server before and after, or search the subnet under Boot & find.',
    'Log in with the user that the image ships, over SSH; that works only if the image has its login service on.',
  ],
  screen: [
    'With the power off, plug in screen and keyboard; mind which video and USB adapters the board needs.',
    'Power it, wait for the login prompt, and log in with the user that the image ships.',
  ],
  'other-board': [
    'With the power off, put the card into another board of the same model that has a screen or a cable. A board of another model may not start from it, or leave settings that do not fit.',
    'Power that board and log in with the user that the image ships.',
  ],
};

function ssidWord({ ssid }: NetworkSettings): string | null {
  const text = textOrNull(ssid);
  return text === null ? null : typedWord(text);
}

function networkStep(network: NetworkSettings): HandStep {
  const word = ssidWord(network);
  const { security, hidden, priority, key } = network;
  if (word === null)
    return {
      text: `Add the network whose name is not UTF-8 (octets ${keyfileSsid(network.ssid)}) by a keyfile; the command line cannot say it.`,
      commands: [],
    };
  const keys =
    security === 'open'
      ? ''
      : security === 'wep'
        ? ` wifi-sec.key-mgmt none wifi-sec.wep-key-type key wifi-sec.wep-key0 ${typedWord(key)}`
        : ` wifi-sec.key-mgmt ${security === 'wpa3-sae' ? 'sae' : 'wpa-psk'} wifi-sec.psk ${typedWord(key)}`;
  return {
    text: 'Add the network. A board that already reaches you over another network stays there until this one has a higher priority.',
    commands: [
      `sudo nmcli connection add type wifi con-name ${word} ssid ${word}${hidden ? ' wifi.hidden yes' : ''} connection.autoconnect-priority ${String(priority)}${keys}`,
    ],
  };
}

/**
 * Steps for a board that takes no settings from its card (common practice), with commands for a system that has
 * systemd and NetworkManager.
 */
export function handSteps(settings: FirstBootSettings, way: HandWay): HandStep[] {
  const { user, hostName, hostKey } = settings;
  const name = typedWord(user.name);
  const key = '/etc/ssh/ssh_host_ed25519_key';
  return [
    ...begin[way].map((text) => ({ text, commands: [] })),
    { text: 'Give it its name.', commands: [`sudo hostnamectl set-hostname ${typedWord(hostName)}`] },
    {
      text: 'Make the user; the password is asked for by the second command, leave it out when only keys shall do.',
      commands: [
        `sudo useradd -m -s /bin/bash -G ${typedWord(['adm', ...(rootRights(user) === 'none' ? [] : ['sudo']), ...user.groups].join(','))} ${name}`,
        ...(user.passwordHash === null ? [] : [`sudo passwd ${name}`]),
      ],
    },
    ...(user.keys.length === 0
      ? []
      : [
          {
            text: 'Give the user the keys.',
            commands: [
              `sudo install -d -m 700 -o ${name} -g ${name} ~${user.name}/.ssh`,
              `printf '%s\\n' ${user.keys.map(typedWord).join(' ')} | sudo tee ~${user.name}/.ssh/authorized_keys >/dev/null`,
              `sudo chown ${name}: ~${user.name}/.ssh/authorized_keys && sudo chmod 600 ~${user.name}/.ssh/authorized_keys`,
            ],
          },
        ]),
    {
      text: 'Set country, time zone and locale.',
      commands: [
        `sudo iw reg set ${typedWord(settings.country)}`,
        `sudo timedatectl set-timezone ${typedWord(settings.timeZone)}`,
        `sudo localectl set-locale LANG=${typedWord(settings.locale)}`,
      ],
    },
    ...settings.networks.map(networkStep),
    ...settings.commands.map((command) => ({ text: 'Run this once.', commands: [command] })),
    {
      text: `Note the board’s own host key, so that it can be told apart later: this plan expects ${hostKey.fingerprint}, the board will show another one.`,
      commands: [`ssh-keygen -lf ${key}.pub`],
    },
    {
      text: 'Lock the user that the image shipped, then restart, and log in with the new one.',
      commands: ['sudo reboot'],
    },
  ];
}
