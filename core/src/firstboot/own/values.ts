import { utf8 } from '../../bytes';
import type { Carried } from '../carried';
import type { FirstBootSettings, NetworkSettings } from '../settings';
import { rootRights } from '../user-rights';
import type { Each, OwnWords, When } from '../../plan/own-method';

/** What a value of a plan is made of. */
export type ValueType = 'line' | 'lines' | 'octets' | 'number' | 'yes-no' | 'security';

interface OwnValue {
  title: string;
  type: ValueType;
  /** Where there is one of it: once for a board, or once for each of something. */
  each: Each;
  /** What of a plan is carried by it. */
  carries: Carried | null;
}

const value = (title: string, type: ValueType, each: Each, carries: Carried | null = null): OwnValue => ({
  title,
  type,
  each,
  carries,
});

/** Every value of a plan that a description can put into a file. */
export const ownValues = {
  hostName: value('host name', 'line', 'once', 'hostName'),
  mark: value('mark of the device', 'line', 'once'),
  nest: value('nest of the device', 'line', 'once'),
  batch: value('name of the batch', 'line', 'once'),
  writing: value('writing, another one each time', 'line', 'once'),
  user: value('user', 'line', 'once', 'user'),
  passwordHash: value('hash of the password (SHA-512-crypt)', 'line', 'once', 'password'),
  passwordLogin: value('whether one logs in by password', 'yes-no', 'once', 'passwordOff'),
  rootRights: value('whether the user may become root', 'yes-no', 'once', 'sudo'),
  groups: value('groups of the user', 'line', 'once', 'groups'),
  userKeys: value('SSH keys of the user, one a line', 'lines', 'once', 'keys'),
  hostKey: value('host key, private half', 'lines', 'once', 'hostKey'),
  hostKeyPublic: value('host key, public half', 'line', 'once'),
  country: value('country', 'line', 'once', 'country'),
  timeZone: value('time zone', 'line', 'once', 'timeZone'),
  locale: value('locale', 'line', 'once', 'locale'),
  keyboard: value('keyboard layout', 'line', 'once', 'keyboard'),
  keyboardVariant: value('variant of the layout', 'line', 'once'),
  wiredAddress: value('wired address with its prefix', 'line', 'once', 'wired'),
  wiredGateway: value('gateway of the wire', 'line', 'once'),
  nameServers: value('name servers, with spaces between', 'line', 'once'),
  packages: value('packages to install, with spaces between', 'line', 'once', 'packages'),
  commands: value('commands that run once, one a line', 'lines', 'once', 'commands'),
  ssid: value('name of the network', 'octets', 'network', 'networks'),
  wifiKey: value('key of the network: 64 digits, or a password for WPA3', 'line', 'network'),
  security: value('security of the network, by the words below', 'security', 'network'),
  hidden: value('whether the network is hidden', 'yes-no', 'network'),
  priority: value('priority, the highest first', 'number', 'network', 'priority'),
  otherName: value('name of a further user', 'line', 'user', 'others'),
  otherKeys: value('that user’s SSH keys, one a line', 'lines', 'user'),
  otherRoot: value('whether that user may become root', 'yes-no', 'user'),
  sshKey: value('one SSH key of the user', 'line', 'key', 'keys'),
} as const satisfies Record<string, OwnValue>;
export type PlanValueName = keyof typeof ownValues;
/** The running number, from 1, of what an entry is repeated for. */
export const NUMBER = 'number';
export type ValueName = PlanValueName | typeof NUMBER;

export const valueNames: readonly ValueName[] = [...(Object.keys(ownValues) as PlanValueName[]), NUMBER];
export const isValueName = (name: string): name is ValueName => (valueNames as string[]).includes(name);
export const valueType = (name: ValueName): ValueType => (name === NUMBER ? 'number' : ownValues[name].type);
export const valueTitle = (name: ValueName): string =>
  name === NUMBER ? 'running number, from 1' : ownValues[name].title;

/** A value of a plan: a text, the octets of one, or lines. It becomes octets where it is used, since few are. */
export type PlanValue = string | Uint8Array | readonly string[];
export const octetsOf = (value: PlanValue): Uint8Array =>
  value instanceof Uint8Array ? value : utf8(typeof value === 'string' ? value : value.join('\n'));

/** Values of one turn of an entry. */
export interface TurnValues {
  get(name: ValueName): PlanValue | undefined;
}

/** One turn of the entries that are repeated for something: its values, and which conditions hold. */
export interface Turn {
  each: Each;
  /** From 0. */
  at: number;
  values: TurnValues;
  holds: ReadonlySet<When>;
}

const kinds: Record<NetworkSettings['security'], keyof OwnWords> = {
  open: 'open',
  wep: 'wep',
  'wpa2-psk': 'wpa2',
  'wpa2-wpa3': 'mixed',
  'wpa3-sae': 'wpa3',
};
/** Which word stands for a kind of security. */
const wordOfSecurity = (security: NetworkSettings['security']): keyof OwnWords => kinds[security];

const given = (entries: Partial<Record<ValueName, PlanValue>>): Map<ValueName, PlanValue> =>
  new Map(Object.entries(entries) as [ValueName, PlanValue][]);

const yesNo = (yes: boolean): keyof OwnWords => (yes ? 'yes' : 'no');

/**
 * The turns that a board's settings give: one for what stands once, then one for each network, user and key. What is not
 * a text stands in it by the name of its word; `template.ts` puts the file's word in its place.
 */
export function turnsOf(settings: FirstBootSettings): Turn[] {
  const { user, networks, keyboard, wired } = settings;
  const board = given({
    hostName: settings.hostName,
    mark: settings.mark,
    nest: settings.nest,
    batch: settings.batchName,
    writing: settings.instanceId,
    user: user.name,
    passwordHash: user.passwordHash ?? '',
    passwordLogin: yesNo(user.passwordLogin),
    rootRights: yesNo(rootRights(user) !== 'none'),
    groups: user.groups.join(' '),
    userKeys: user.keys,
    hostKey: settings.hostKey.privateText,
    hostKeyPublic: settings.hostKey.publicLine,
    country: settings.country,
    timeZone: settings.timeZone,
    locale: settings.locale,
    keyboard: keyboard?.layout ?? '',
    keyboardVariant: keyboard?.variant ?? '',
    wiredAddress: wired?.address ?? '',
    wiredGateway: wired?.gateway ?? '',
    nameServers: (wired?.nameServers ?? []).join(' '),
    packages: settings.packages.join(' '),
    commands: settings.commands,
  });
  const holds: When[] = [
    'always',
    networks.length > 0 ? 'wifi' : 'no-wifi',
    user.passwordHash === null ? 'no-password' : 'password',
    ...(keyboard === null ? [] : (['keyboard'] as const)),
    wired === null ? 'no-wired' : 'wired',
  ];
  const turn = (
    each: Each,
    at: number,
    own: Map<ValueName, PlanValue>,
    more: readonly When[] = [],
  ): Turn => ({
    each,
    at,
    values: { get: (name) => (name === NUMBER ? String(at + 1) : (own.get(name) ?? board.get(name))) },
    holds: new Set([...holds, ...more]),
  });
  return [
    turn('once', 0, new Map()),
    ...networks.map(({ ssid, key, security, hidden, priority }, at) =>
      turn(
        'network',
        at,
        given({
          ssid,
          wifiKey: key,
          security: wordOfSecurity(security),
          hidden: yesNo(hidden),
          priority: String(priority),
        }),
        [security === 'open' ? 'open' : 'secured', ...(hidden ? (['hidden'] as const) : [])],
      ),
    ),
    ...settings.others.map(({ name, keys, sudo }, at) =>
      turn('user', at, given({ otherName: name, otherKeys: keys, otherRoot: yesNo(sudo) })),
    ),
    ...user.keys.map((line, at) => turn('key', at, given({ sshKey: line }))),
  ];
}
