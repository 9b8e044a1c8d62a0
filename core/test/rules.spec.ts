import { sshString } from '../src/access/ssh-wire';
import { concatBytes, toBase64 } from '../src/bytes';
import { findBoard } from '../src/boards/profiles';
import { stopsWriting } from '../src/plan/finding';
import { ownMethodId, type NetworkFacts, type Plan, type PlanView } from '../src/plan/model';
import { OwnDescriptionSchema, type Quoting } from '../src/plan/own-method';
import { checkPlan, checkPlanInTurns, planRules } from '../src/rules';
import type { KeyVerdict } from '../src/wifi/key-trial';
import { unreadSystem, type Ability, type SystemFacts } from '../src/system/facts';
import { networkId, soundNetwork, soundPlan, trial, userKey, viewOf } from './helpers/plan';

type Change = (view: PlanView) => void;

const first = (plan: Plan): Plan['devices'][number] => {
  const [device] = plan.devices;
  if (!device) throw new Error('the plan has no devices');
  return device;
};
const rename =
  (...names: string[]): Change =>
  ({ plan }) => {
    plan.devices.forEach((device, index) => (device.hostName = names[index] ?? device.hostName));
  };
const plan =
  (change: (plan: Plan) => unknown): Change =>
  (view) => {
    change(view.plan);
  };
const network =
  (change: Partial<NetworkFacts>): Change =>
  (view) => {
    view.networks = [{ ...soundNetwork(), ...change }];
  };
/** The bench's network with a trial of its key. */
const tried = (verdict: KeyVerdict, current = true): Change => network({ tried: trial(verdict, current) });
/** The bench's network, whose key nobody tried. */
const untried =
  (change: Partial<NetworkFacts> = {}): Change =>
  (view) => {
    const { tried: _tried, ...bare } = soundNetwork();
    view.networks = [{ ...bare, ...change }];
  };
const secret = (value: string): Change => network({ secret: { kind: 'typed', value } });
const keys = (text: string): Change => plan(({ access }) => (access.keys = text));
const board = (id: string): Change => plan((it) => (it.boardProfileId = id));
const image =
  (change: Partial<PlanView['images'][number]>): Change =>
  (view) => {
    view.images = view.images.map((entry) => ({ ...entry, ...change }));
  };
const vpn = (change: Partial<Plan['vpn']>, bringUp = true): Change =>
  plan((it) => {
    it.vpn = { ...it.vpn, wanted: true, hub: 'hub.example.org', network: '10.86.40.0/24', ...change };
    it.bringUp = { ...it.bringUp, wanted: bringUp };
  });
const ownId = '4f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a12';
/** An image that takes an own method which carries all that the sound plan has. */
const described = (quoting: Quoting): Partial<PlanView['images'][number]> => ({
  method: ownMethodId(ownId),
  own: {
    id: ownId,
    description: OwnDescriptionSchema.parse({
      format: 'nest-mark-first-boot-method',
      version: 1,
      title: 'Board file',
      files: [
        {
          path: 'board.lst',
          form: 'text',
          quoting,
          words: { wpa2: 'wpa', mixed: 'both' },
          entries: [
            { value: 'net <<ssid>> <<wifiKey>> <<security>>', each: 'network' },
            { value: 'name <<hostName>>' },
            { value: 'owner <<user>> <<passwordLogin>> <<rootRights>>' },
            { value: 'at <<timeZone>> <<locale>> <<country>>' },
            { value: 'keys <<userKeys.base64>>' },
            { value: 'identity <<hostKey.base64>>' },
          ],
        },
      ],
    }),
  },
});
const system = (change: Partial<SystemFacts>): Change =>
  image({ system: { ...unreadSystem(''), ...change } });
const absent: Ability = { has: false, on: null, version: '', where: 'none of it' };
const kernelLine = { path: 'cmdline.txt', readBy: 'the first stage' };
const password =
  (value: string, change: (plan: Plan) => unknown = () => undefined): Change =>
  (view) => {
    view.plan.access.passwordLogin = true;
    view.password = { kind: 'typed', value };
    change(view.plan);
  };
const all =
  (...changes: Change[]): Change =>
  (view) => {
    for (const change of changes) change(view);
  };
const extras = (change: Partial<Plan['extras']>): Change => plan((it) => Object.assign(it.extras, change));
const file = (change: Partial<Plan['extras']['files'][number]>): Change =>
  extras({ files: [{ place: 'card', path: 'x', content: '', mode: '0644', ...change }] });
/** Fixed wired addresses of the first devices. */
const fixed = (...addresses: string[]): Change =>
  plan((it) => {
    it.extras.wired = { way: 'fixed', gateway: '192.168.40.1', nameServers: '192.168.40.1' };
    it.devices.forEach(
      (device, at) => (device.overrides = addresses[at] ? { wiredAddress: addresses[at] } : {}),
    );
  });
const second = (change: Partial<NetworkFacts>, priority: number): Change => {
  const id = '3f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a12';
  return (view) => {
    view.networks = [...view.networks, { ...soundNetwork(), id, ssid: 'Hall', title: 'Hall', ...change }];
    view.plan.networks.push({ networkId: id, priority });
  };
};

/** Rules hit by a plan that was sound before the change. */
function hit(change: Change, count = 3): string[] {
  const view = viewOf(soundPlan(count));
  change(view);
  return [...new Set(checkPlan(view).map((finding) => `${finding.rule} ${finding.severity}`))];
}

// A modulus of 1,024 bits behind the zero octet that keeps it positive (RFC 4251 section 5, mpint).
const rsa = (octets: number): string => {
  const modulus = Uint8Array.from({ length: octets + 1 }, (_, at) => (at === 0 ? 0 : 0x80 | (at & 127)));
  const blob = concatBytes(sshString('ssh-rsa'), sshString(Uint8Array.of(1, 0, 1)), sshString(modulus));
  return `ssh-rsa ${toBase64(blob)} old@bench`;
};

/** Each rule with a case that it finds, and one beside it that it must leave alone. */
/** Boards that call an address; this computer has another one, or that. */
const call =
  (address: string, port = 8722, own = ''): Change =>
  (view) => {
    view.plan.extras = { ...view.plan.extras, callIn: { address, port } };
    if (own !== '') view.surroundings.workstation.push({ address: own, prefix: 24 });
  };

const cases: [rule: string, what: string, fires: Change, quiet: Change][] = [
  ['image-chosen stops', 'no image', plan((it) => (it.imageId = null)), () => undefined],
  [
    'image-chosen stops',
    'an image that left the shelf',
    (view) => (view.images = []),
    image({ flavour: 'desktop' }),
  ],
  ['image-chosen stops', 'an image without a method', image({ method: 'none' }), () => undefined],
  [
    'image-size stops',
    'an image of 33 GB for a card of 32',
    image({ rawSize: 33e9 }),
    image({ rawSize: 32e9 }),
  ],
  [
    'image-width stops',
    'a 64 bit image on a 32 bit board',
    board('compact-32'),
    all(board('compact-32'), image({ wordBits: 32 })),
  ],
  ['board-known stops', 'a profile that left the shelf', board('gone'), board('compact-64')],
  [
    'board-known note',
    'a profile without its current',
    (view) => (view.boards = view.boards.map((entry) => ({ ...entry, peakMilliamp: null }))),
    () => undefined,
  ],
  ['time-zone stops', 'no time zone', plan((it) => (it.timeZone = '')), () => undefined],
  [
    'time-zone stops',
    'a time zone in small letters',
    plan((it) => (it.timeZone = 'Atlantic/faroe')),
    () => undefined,
  ],
  [
    'time-zone stops',
    'an invented time zone',
    plan((it) => (it.timeZone = 'Atlantic/Saltmarsh')),
    () => undefined,
  ],
  [
    'time-zone-country warns',
    'a zone of another country',
    plan((it) => (it.timeZone = 'Europe/Copenhagen')),
    plan((it) => (it.timeZone = 'UTC')),
  ],
  [
    'locale stops',
    'a locale without encoding',
    plan((it) => (it.locale = 'en_GB')),
    plan((it) => (it.locale = 'C.UTF-8')),
  ],
  ['some-devices stops', 'no devices', plan((it) => (it.devices = [])), () => undefined],
  ['host-name-form stops', 'a name with a space', rename('tank 1'), rename('3com')],
  ['host-name-unique stops', 'a name twice in other case', rename('TANK-002'), rename('tank-004')],
  ['host-name-default warns', 'a name that systems come with', rename('board'), rename('boards')],
  ['host-name-default stops', 'localhost', rename('localhost'), rename('localhost1')],
  [
    'host-name-rename warns',
    'a name that another would take in a conflict',
    rename('tank', 'tank-2'),
    rename('tank', 'tank-1'),
  ],
  [
    'host-name-seen warns',
    'a name that answers already',
    (view) => (view.surroundings.names = [{ hostName: 'TANK-001', batchName: 'Old' }]),
    (view) => (view.surroundings.names = [{ hostName: 'tank-009', batchName: 'Old' }]),
  ],
  ['host-name-length note', '16 characters', rename('tank-monitor-001'), rename('tank-monitor-01')],
  [
    'host-name-length warns',
    'two names alike in the first 15 characters',
    rename('tank-monitor-12a', 'tank-monitor-12b'),
    rename('tank-monitor-1a', 'tank-monitor-1b'),
  ],
  [
    'nest-place stops',
    'a nest outside the tray',
    plan((it) => (first(it).nest = 'Z9')),
    plan((it) => (first(it).nest = 'C4')),
  ],
  ['nest-place stops', 'a nest taken twice', plan((it) => (first(it).nest = 'A2')), () => undefined],
  ['mark-form stops', 'a mistyped mark', plan((it) => (first(it).mark = '23456')), () => undefined],
  [
    'mark-form stops',
    'a mark twice',
    plan((it) => (first(it).mark = it.devices[1]?.mark ?? '')),
    () => undefined,
  ],
  ['country stops', 'no country', plan((it) => (it.country = '')), () => undefined],
  ['country stops', 'an unassigned country', plan((it) => (it.country = 'UK')), () => undefined],
  [
    'network-chosen stops',
    'no network and no socket',
    all(
      board('compact-64'),
      plan((it) => (it.networks = [])),
    ),
    board('compact-64'),
  ],
  ['network-chosen note', 'no network, but a socket', plan((it) => (it.networks = [])), () => undefined],
  [
    'network-chosen stops',
    'a network, but neither radio nor socket',
    all(board('compact-32-offline'), image({ wordBits: 32 })),
    () => undefined,
  ],
  [
    'network-band stops',
    'the 5 GHz name for a 2.4 GHz board',
    all(board('compact-64'), network({ bands: ['5 GHz'] })),
    all(board('compact-64'), network({ bands: ['2.4 GHz', '5 GHz'] })),
  ],
  [
    'network-band warns',
    'the 5 GHz name beside one that it can join',
    all(board('compact-64'), second({ bands: ['5 GHz'] }, 20)),
    second({ bands: ['5 GHz'] }, 20),
  ],
  [
    'network-security stops',
    'WPA3 only for a radio that does not know it',
    // The rule about older images speaks up as well.
    all(
      network({ security: 'wpa3-sae', secret: { kind: 'typed', value: 'oysters & tides' } }),
      image({ id: 'elsewhere' }),
    ),
    network({ security: 'wpa2-wpa3' }),
  ],
  ['network-order warns', 'two networks of one priority', second({}, 10), second({}, 20)],
  ['network-order note', 'no network on the air', network({ heard: false }), () => undefined],
  ['subnet warns', 'no subnet', plan((it) => (it.network.subnet = '')), () => undefined],
  [
    'subnet warns',
    'a public subnet',
    plan((it) => (it.network.subnet = '8.8.8.0/24')),
    all(
      plan((it) => (it.network.subnet = '')),
      network({ subnet: '192.168.40.0/24' }),
    ),
  ],
  ['subnet warns', 'a wide subnet', plan((it) => (it.network.subnet = '10.0.0.0/8')), () => undefined],
  [
    'workstation-network warns',
    'a workstation on another network',
    (view) => (view.surroundings.workstation = [{ address: '10.1.2.3', prefix: 24 }]),
    (view) => (view.surroundings.workstation = [{ address: '192.168.9.9', prefix: 16 }]),
  ],
  [
    'address-pool warns',
    'two addresses for three boards',
    network({ poolSize: 2 }),
    network({ poolSize: 3 }),
  ],
  ['address-pool warns', 'a subnet with two hosts', network({ subnet: '192.168.40.0/30' }), () => undefined],
  ['client-limit warns', 'two clients at once', network({ clientLimit: 2 }), network({ clientLimit: 3 })],
  ['client-isolation warns', 'a guest network', network({ isolation: true }), () => undefined],
  ['ssid-length stops', 'no network name', network({ ssid: '' }), network({ ssid: 'a' })],
  [
    'ssid-length stops',
    '33 octets in 31 letters',
    network({ ssid: `øø${'x'.repeat(29)}` }),
    network({ ssid: `øø${'x'.repeat(28)}` }),
  ],
  [
    'ssid-length stops',
    'hexadecimal digits that are none',
    network({ ssid: 'xyz', ssidForm: 'hex' }),
    network({ ssid: '53616c74', ssidForm: 'hex' }),
  ],
  [
    'ssid-spaces warns',
    'a space at the end',
    network({ ssid: 'Salt Marsh ' }),
    network({ ssid: 'Salt  Marsh' }),
  ],
  ['ssid-pasted warns', 'a curly quote', network({ ssid: 'Keeper’s' }), network({ ssid: "Keeper's" })],
  ['ssid-pasted warns', 'a space that nobody can see', network({ ssid: 'Salt\u200bMarsh' }), () => undefined],
  [
    'ssid-near warns',
    'the same name in other case on the shelf',
    (view) => (view.networks = [...view.networks, { ...soundNetwork(), id: 'x', ssid: 'salt-marsh' }]),
    (view) => (view.networks = [...view.networks, { ...soundNetwork(), id: 'x', ssid: 'Salt Marsh' }]),
  ],
  ['passphrase-form stops', 'no passphrase', network({ secret: { kind: 'missing' } }), () => undefined],
  ['passphrase-form stops', 'seven characters', secret('1234567'), secret('12345678')],
  ['passphrase-form stops', '64 that are no key', secret('x'.repeat(64)), secret('a'.repeat(64))],
  ['passphrase-form stops', 'a curly quote', secret('oyster’s bed'), secret("oyster's bed")],
  [
    'passphrase-form stops',
    'what the server judged of a kept one',
    network({ secret: { kind: 'kept', faults: ['short'] } }),
    network({ secret: { kind: 'kept', faults: [] } }),
  ],
  ['passphrase-spaces warns', '63 and a stray space', secret(`${'x'.repeat(62)} `), secret('x y z a b c')],
  [
    'passphrase-open warns',
    'an open network with a passphrase',
    all(network({ security: 'open' }), image({})),
    () => undefined,
  ],
  [
    'security-weak warns',
    'an open network',
    network({ security: 'open', secret: { kind: 'missing' } }),
    network({ security: 'wpa2-wpa3' }),
  ],
  [
    'security-method stops',
    'WEP in a declarative seed',
    network({ security: 'wep', secret: { kind: 'typed', value: 'abcde' } }),
    all(
      image({ method: 'run-once' }),
      network({ security: 'wep', secret: { kind: 'typed', value: 'abcde' } }),
    ),
  ],
  [
    'security-method stops',
    'a name that is not UTF-8',
    network({ ssid: 'ff41', ssidForm: 'hex' }),
    network({ ssid: 'c3b8', ssidForm: 'hex' }),
  ],
  [
    'security-method warns',
    'WPA3 only in a declarative seed',
    all(board('full-64-newest'), network({ security: 'wpa3-sae' })),
    all(board('full-64-newest'), image({ method: 'run-once' }), network({ security: 'wpa3-sae' })),
  ],
  ['hidden-network note', 'a hidden network', network({ hidden: true }), () => undefined],
  [
    'channel-country warns',
    'channel 13 where it is not allowed',
    all(
      plan((it) => Object.assign(it, { country: 'US', timeZone: 'America/Denver' })),
      network({ channels: [{ band: '2.4 GHz', channel: 13 }] }),
    ),
    network({ channels: [{ band: '2.4 GHz', channel: 13 }] }),
  ],
  [
    'channel-country warns',
    'a channel that does not exist',
    network({ channels: [{ band: '5 GHz', channel: 37 }] }),
    network({ channels: [{ band: '5 GHz', channel: 36 }] }),
  ],
  ['network-country warns', 'another country', network({ country: 'US' }), network({ country: 'FO' })],
  ['network-country warns', 'no country at all', network({ country: 'QQ' }), network({ country: '' })],
  ['key-tried note', 'a key that nobody tried', untried(), untried({ security: 'open' })],
  ['key-tried note', 'a key that could be tried here', untried(), untried({ heard: false })],
  ['key-tried note', 'a change since the trial', tried('right', false), tried('right')],
  ['key-tried warns', 'a key that was found wrong', tried('wrong-key'), tried('no-address')],
  ['key-tried warns', 'clients that are kept apart', tried('apart'), tried('full')],
  ['key-tried warns', 'another security', tried('other-security'), tried('not-heard')],
  ['user-name stops', 'no user', plan(({ access }) => (access.userName = '')), () => undefined],
  [
    'user-name stops',
    'the system’s own user',
    plan(({ access }) => (access.userName = 'root')),
    plan(({ access }) => (access.userName = 'rooter')),
  ],
  [
    'user-name stops',
    'a further user of the same name',
    plan(({ access }) => access.others.push({ name: 'keeper', keys: userKey, sudo: false })),
    plan(({ access }) => access.others.push({ name: 'helper', keys: userKey, sudo: false })),
  ],
  [
    'key-form stops',
    'a cut key beside a good one',
    keys(`${userKey}\n${userKey.slice(0, 40)}`),
    () => undefined,
  ],
  [
    'key-form stops',
    'a key broken over two lines, beside a good one',
    keys(`${userKey.slice(0, 40)}\n${userKey.slice(40)}\n${rsa(256)}`),
    keys(`${userKey}\n${rsa(256)}`),
  ],
  ['key-twice note', 'the key twice', keys(`${userKey}\n# again\n${userKey}`), () => undefined],
  ['key-strength warns', 'RSA of 1024 bits', keys(rsa(128)), keys(rsa(256))],
  ['way-in stops', 'no key', keys('# none'), () => undefined],
  [
    'way-in stops',
    'a password that is switched on but not set',
    all(
      keys(''),
      plan(({ access }) => (access.passwordLogin = true)),
    ),
    all(
      keys(''),
      plan(({ access }) => Object.assign(access, { passwordLogin: true, passwordScope: 'each' })),
    ),
  ],
  ['password-length warns', '11 characters', password('oyster-bed-'), password('oyster-bed-1')],
  [
    'password-default stops',
    'the name of the user',
    password('keeper-of-oysters', ({ access }) => (access.userName = 'keeper-of-oysters')),
    password('keeper-of-mussels'),
  ],
  [
    'bench-login warns',
    'boards that are to be brought up by a user who may not become root',
    plan((it) => {
      it.bringUp.wanted = true;
      it.extras.sudo = 'none';
    }),
    plan((it) => {
      it.bringUp.wanted = true;
      it.bringUp.benchKey = true;
    }),
  ],
  [
    'bench-login note',
    'boards that nothing but an agent could log in to',
    plan((it) => {
      it.bringUp.wanted = true;
      it.bringUp.benchKey = false;
    }),
    plan((it) => {
      it.bringUp.benchKey = true;
    }),
  ],
  [
    'password-shared warns',
    'six devices with one password',
    (view) => {
      view.plan = soundPlan(6);
      password('oyster-bed-19')(view);
    },
    (view) => {
      view.plan = soundPlan(5);
      password('oyster-bed-19')(view);
    },
  ],
  [
    'supply-rating warns',
    'more than the supply gives',
    plan(({ power }) => (power.peripherals = [{ title: 'drive', milliamp: 1500, role: '' }])),
    plan(({ power }) => (power.peripherals = [{ title: 'drive', milliamp: 1500, role: 'other' }])),
  ],
  [
    'supply-rating note',
    'less than the margin left',
    all(
      plan(({ power }) => (power.peripherals = [{ title: 'drive', milliamp: 1000, role: '' }])),
      plan(({ power }) => (power.cable.metres = 0.3)),
    ),
    all(
      plan(({ power }) => (power.peripherals = [{ title: 'drive', milliamp: 800, role: '' }])),
      plan(({ power }) => (power.cable.metres = 0.3)),
    ),
  ],
  [
    'supply-rating note',
    'a supply that is used up to its whole rating together',
    plan(
      ({ power }) =>
        (power.supplies = [{ id: 's', title: 'Three', count: 1, ports: [3, 3, 3], totalAmps: 5 }]),
    ),
    plan(
      ({ power }) =>
        (power.supplies = [{ id: 's', title: 'Three', count: 1, ports: [3, 3, 3], totalAmps: 6 }]),
    ),
  ],
  [
    'supply-rating warns',
    'no socket left',
    plan(
      ({ power }) => (power.supplies = [{ id: 's', title: 'Two', count: 1, ports: [3, 3], totalAmps: 9 }]),
    ),
    plan(
      ({ power }) =>
        (power.supplies = [{ id: 's', title: 'Three', count: 1, ports: [3, 3, 3], totalAmps: 9 }]),
    ),
  ],
  [
    'socket-current warns',
    'two amperes through a micro USB socket',
    all(board('compact-64'), (view) => {
      view.plan.power.peripherals = [{ title: 'heater', milliamp: 1200, role: '' }];
      view.plan.power.cable = { ...view.plan.power.cable, metres: 0.2, awg: 18 };
      view.boards = view.boards.map((entry) => ({ ...entry, supplyAmps: 4 }));
    }),
    all(board('compact-64'), (view) => {
      view.plan.power.peripherals = [{ title: 'heater', milliamp: 1100, role: '' }];
      view.plan.power.cable = { ...view.plan.power.cable, metres: 0.2, awg: 18 };
      view.boards = view.boards.map((entry) => ({ ...entry, supplyAmps: 4 }));
    }),
  ],
  [
    'source-volts warns',
    'twelve volts into a USB socket',
    plan(({ power }) => (power.cable.sourceVolts = 12)),
    all(
      board('module-card'),
      plan(({ power }) => (power.cable.sourceVolts = 12)),
    ),
  ],
  [
    'cable-drop warns',
    'three metres of thin cable',
    plan(({ power }) => (power.cable.metres = 3)),
    plan(({ power }) => Object.assign(power.cable, { metres: 3, awg: 18 })),
  ],
  [
    'method-carries warns',
    'an image that takes marker files',
    all(
      image({ method: 'marker-files' }),
      plan(({ access }) => Object.assign(access, { passwordLogin: true, passwordScope: 'each' })),
    ),
    image({ method: 'run-once' }),
  ],
  [
    'method-carries warns',
    'packages for a script that runs before the network is up',
    all(
      image({ method: 'run-once' }),
      plan(({ extras }) => (extras.packages = 'tank-tools')),
    ),
    all(
      image({ method: 'run-once' }),
      plan(({ extras }) => (extras.commands = 'true')),
    ),
  ],
  [
    'root-files stops',
    'a file for a root that could not be read',
    all(
      system({ unread: 'Its root file system is btrfs, which is not read here.' }),
      file({ place: 'root', path: '/etc/app.conf' }),
    ),
    all(system({}), file({ place: 'root', path: '/etc/app.conf' })),
  ],
  [
    'extra-files stops',
    'a file for a home that is not there before the first boot',
    all(system({}), file({ place: 'root', path: '/home/keeper/x' })),
    all(system({}), file({ place: 'board', path: '/home/keeper/x' })),
  ],
  ['vpn-whole warns', 'a VPN without a hub', vpn({ hub: '' }), vpn({})],
  [
    'vpn-whole stops',
    'a VPN on the cards over all of a private range',
    vpn({ by: 'cards', network: '10.0.0.0/8' }),
    vpn({ by: 'cards' }),
  ],
  ['vpn-apart warns', 'the addresses of the boards’ network', vpn({ network: '192.168.40.0/24' }), vpn({})],
  ['vpn-hub-reached warns', 'a hub at home', vpn({ hub: '10.1.2.3' }), vpn({ hub: '203.0.113.5' })],
  ['vpn-set-up warns', 'boards that nobody brings up', vpn({}, false), vpn({ by: 'cards' }, false)],
  [
    'method-says stops',
    'an own method that parts by blanks what has one in it',
    image(described('plain')),
    image(described('percent')),
  ],
  [
    'security-method stops',
    'WPA3 only for an own method without a word for it',
    all(image(described('percent')), network({ security: 'wpa3-sae' })),
    all(image(described('percent')), network({ security: 'wpa2-wpa3' })),
  ],
  [
    'method-way-in stops',
    'keys alone, for marker files',
    image({ method: 'marker-files' }),
    all(
      image({ method: 'marker-files' }),
      plan(({ access }) => Object.assign(access, { passwordLogin: true, passwordScope: 'each' })),
    ),
  ],
  [
    'method-way-in warns',
    'a network template',
    image({ method: 'network-template' }),
    image({ method: 'run-once' }),
  ],
  [
    'method-proof warns',
    'a method without a place for the host key',
    all(
      image({ method: 'marker-files' }),
      plan(({ access }) => Object.assign(access, { passwordLogin: true, passwordScope: 'each' })),
    ),
    image({ method: 'run-once' }),
  ],
  [
    'image-chosen warns',
    'nothing on the card, said by hand',
    image({ method: 'none', chosenMethod: 'none' }),
    () => undefined,
  ],
  [
    'method-acts stops',
    'a seed for an image without cloud-init',
    system({ abilities: { cloudInit: absent } }),
    system({}),
  ],
  [
    'method-joins stops',
    'keyfiles for an image without NetworkManager',
    all(image({ method: 'run-once' }), system({ kernelLine, abilities: { networkManager: absent } })),
    all(image({ method: 'run-once' }), system({ kernelLine })),
  ],
  [
    'image-login stops',
    'no login service',
    system({ abilities: { ssh: absent } }),
    all(
      system({ abilities: { ssh: absent } }),
      plan(({ extras }) => (extras.packages = 'openssh-server')),
    ),
  ],
  [
    'image-accounts warns',
    'a maker’s account with a password',
    system({ accounts: [{ name: 'maker', login: 'password', where: '/etc/shadow' }] }),
    system({ accounts: [{ name: 'keeper', login: 'password', where: '/etc/shadow' }] }),
  ],
  [
    'image-shared warns',
    'a machine-id for a seed',
    system({ shared: [{ what: 'machine-id', where: '/etc/machine-id' }] }),
    all(
      image({ method: 'run-once' }),
      system({ kernelLine, shared: [{ what: 'machine-id', where: '/etc/machine-id' }] }),
    ),
  ],
  [
    'groups stops',
    'a group with a capital',
    extras({ groups: 'dialout Video' }),
    extras({ groups: 'dialout, video' }),
  ],
  [
    'keyboard stops',
    'a country for a layout',
    extras({ keyboard: 'Denmark' }),
    extras({ keyboard: 'de nodeadkeys' }),
  ],
  [
    'wired-address stops',
    'fixed addresses that nobody has',
    fixed(),
    fixed('192.168.40.21/24', '192.168.40.22/24', '192.168.40.23/24'),
  ],
  [
    'wired-address warns',
    'one device without',
    fixed('192.168.40.21/24', '192.168.40.22/24'),
    () => undefined,
  ],
  [
    'wired-address stops',
    'a broadcast address',
    fixed('192.168.40.21/24', '192.168.40.255/24', '192.168.40.23/24'),
    fixed('192.168.40.21/24', '192.168.40.254/24', '192.168.40.23/24'),
  ],
  [
    'wired-address stops',
    'a gateway of another subnet',
    fixed('192.168.41.21/24', '192.168.40.22/24', '192.168.40.23/24'),
    fixed('192.168.41.21/23', '192.168.40.22/24', '192.168.40.23/24'),
  ],
  [
    'boot-lines stops',
    'words that are no setting',
    extras({ bootLines: 'turn the screen' }),
    extras({ bootLines: 'rotate=1' }),
  ],
  [
    'boot-lines warns',
    'a fifth quarter turn',
    extras({ bootLines: 'display_rotate=4' }),
    extras({ bootLines: 'display_rotate=3' }),
  ],
  [
    'boot-lines warns',
    'one setting twice',
    extras({ bootLines: 'dtparam=spi=on\ndtparam=spi=off' }),
    extras({ bootLines: 'dtparam=spi=on\ndtparam=i2c=off\n[new]\ndtparam=spi=off' }),
  ],
  [
    'boot-lines stops',
    'an image without a file for them',
    all(extras({ bootLines: 'a=1' }), image({ bootConfig: null })),
    image({ bootConfig: null }),
  ],
  ['extra-files stops', 'a path that climbs', file({ path: '../x' }), file({ path: 'app/x' })],
  ['extra-files stops', 'a name that FAT cannot hold', file({ path: 'app./x' }), file({ path: '.app/x.y' })],
  [
    'extra-files stops',
    'a file of the first-boot method',
    file({ path: 'Network-Config' }),
    file({ path: 'app/network-config' }),
  ],
  [
    'extra-files stops',
    'the system’s own file',
    file({ place: 'board', path: '/etc/shadow' }),
    file({ place: 'board', path: '/etc/shadowed' }),
  ],
  [
    'extra-files stops',
    'no permissions',
    file({ place: 'board', path: '/etc/x', mode: 'rw' }),
    file({ place: 'board', path: '/etc/x', mode: '600' }),
  ],
  [
    'package-names stops',
    'a name with a capital',
    extras({ packages: 'git Curl' }),
    extras({ packages: 'git g++ libc6.1-dev' }),
  ],
  [
    'call-in stops',
    'a name to be called, which need not be known there',
    call('bench.local'),
    call('192.168.9.9', 8722, '192.168.9.9'),
  ],
  ['call-in stops', 'an address of everybody’s internet', call('198.51.100.7'), call('')],
  ['call-in stops', 'a board that calls itself', call('127.0.0.1'), call('')],
  [
    'call-in warns',
    'an address that this computer does not have',
    call('10.9.8.7', 8722, '10.9.8.6'),
    call('10.9.8.7', 8722, '10.9.8.7'),
  ],
  [
    'call-in warns',
    'a port that needs a right',
    call('10.9.8.7', 80, '10.9.8.7'),
    call('10.9.8.7', 8080, '10.9.8.7'),
  ],
];

/** Beside the case's own rule these speak up as well, each for a reason of its own. */
const companions: Record<string, string[]> = {
  'an image that takes marker files': ['method-proof warns'],
  'keys alone, for marker files': ['method-carries warns', 'method-proof warns'],
  'a network template': ['method-carries warns', 'method-proof warns'],
  'a method without a place for the host key': ['method-carries warns'],
  'WPA3 only for a radio that does not know it': ['image-chosen stops'],
  'an open network with a passphrase': ['security-weak warns'],
  'WEP in a declarative seed': ['security-weak warns'],
  'WPA3 only in a declarative seed': ['cable-drop warns'],
  'WPA3 only for an own method without a word for it': ['network-security stops'],
  'more than the supply gives': ['cable-drop warns', 'socket-current warns'],
};

describe('rules of the plan', () => {
  it('find nothing in a sound plan, so that a silent rule is a rule that does not fire', () => {
    expect(checkPlan(viewOf(soundPlan()))).toEqual([]);
  });

  it.each(cases)('%s: %s', (expected, what, fires, quiet) => {
    expect(hit(fires).sort()).toEqual([expected, ...(companions[what] ?? [])].sort());
    const rule = expected.split(' ')[0] ?? '';
    expect(hit(quiet).filter((found) => found.startsWith(`${rule} `))).toEqual([]);
  });

  it('every rule fires in one of the cases above', () => {
    const fired = new Set(cases.map(([expected]) => expected.split(' ')[0]));
    expect(planRules.map((rule) => rule.id).filter((id) => !fired.has(id))).toEqual([]);
  });

  it('only the ones that stop forbid writing; each finding says why and what to do', () => {
    const view = viewOf(soundPlan(2));
    network({ ssid: 'Salt Marsh ' })(view);
    expect(stopsWriting(checkPlan(view))).toBe(false);
    view.plan.country = 'XX';
    const findings = checkPlan(view);
    expect(stopsWriting(findings)).toBe(true);
    for (const finding of findings) {
      expect(finding.reason.length).toBeGreaterThan(20);
      expect(finding.fix.length).toBeGreaterThan(10);
    }
  });

  it('have ids, titles and sources of their own', () => {
    expect(new Set(planRules.map((rule) => rule.id)).size).toBe(planRules.length);
    for (const rule of planRules) expect(rule.source).not.toBe('');
  });
});

describe('devices that differ from their batch', () => {
  it('are judged by their own settings, each by its name', () => {
    const view = viewOf(soundPlan(3));
    const [one, two] = view.plan.devices;
    one!.overrides = { timeZone: 'Nowhere/At_all' };
    two!.overrides = { timeZone: 'Nowhere/At_all' };
    const found = checkPlan(view);
    expect(found.map(({ rule, deviceId }) => [rule, deviceId])).toEqual([
      ['time-zone', one!.id],
      ['time-zone', two!.id],
    ]);
    expect(found[0]?.message).toBe('tank-001: "Nowhere/At_all" is not a time zone.');
  });

  it('are not blamed for what the batch has wrong and they have right', () => {
    const view = viewOf(soundPlan(2));
    view.plan.country = '';
    view.plan.devices[0]!.overrides = { country: 'FO' };
    expect(checkPlan(view).map(({ rule, deviceId }) => [rule, deviceId])).toEqual([['country', undefined]]);
  });

  it('are found when their board cannot join the batch’s network', () => {
    const view = viewOf(soundPlan(2));
    network({ bands: ['5 GHz'] })(view);
    view.plan.devices[1]!.overrides = { boardProfileId: 'compact-64' };
    expect(checkPlan(view)).toMatchObject([
      { rule: 'network-band', severity: 'stops', deviceId: view.plan.devices[1]!.id, networkId },
    ]);
    expect(findBoard(view.boards, 'compact-64')?.wifiBands).toEqual(['2.4 GHz']);
  });

  it('count for the network that they join, not for the one that they do not', () => {
    const view = viewOf(soundPlan(3));
    network({ clientLimit: 2 })(view);
    expect(checkPlan(view).map(({ rule }) => rule)).toEqual(['client-limit']);
    view.plan.devices[0]!.overrides = { networks: [] };
    // It joins by wire instead, which is worth a note.
    expect(checkPlan(view).map(({ rule, severity }) => `${rule} ${severity}`)).toEqual([
      'network-chosen note',
    ]);
  });
});

describe('a plan with a fault in every device', () => {
  it('gives the same findings when others have their turn after every rule', async () => {
    const view = viewOf(soundPlan(20));
    for (const device of view.plan.devices) device.hostName = `${device.hostName}_?`;
    let turns = 0;
    const found = await checkPlanInTurns(view, () => {
      turns++;
      return Promise.resolve();
    });
    expect(found.length).toBeGreaterThanOrEqual(20);
    expect(found).toEqual(checkPlan(view));
    expect(turns).toBe(planRules.length);
  });
});
