import fc from 'fast-check';
import {
  allWays,
  bestOf,
  chooseWays,
  dayAfter,
  daysOf,
  instructionsOf,
  lostByWaiting,
  moveFindings,
  MovePlanSchema,
  readLook,
  wayIds,
  waysOf,
  withNetwork,
  withoutNetwork,
  type Choosing,
  type MovePlan,
  type Moving,
  type MovingBoard,
  type WayId,
} from '@nest-mark/core/moving';
import {
  addDevices,
  emptyNetwork,
  emptyPlan,
  findBoard,
  shippedBoards,
  type BoardProfile,
  type Plan,
  type ShelvedNetwork,
} from '../src';

/** Ways onto another network: when each is open (the trade's own list, common practice), and who takes which. */

const id = (end: number): string => `00000000-0000-4000-8000-0000000000${String(end).padStart(2, '0')}`;
const network = (end: number, change: Partial<ShelvedNetwork> = {}): ShelvedNetwork => ({
  ...emptyNetwork(`Net ${String(end)}`),
  ssid: `Net ${String(end)}`,
  id: id(end),
  version: 1,
  secret: { state: 'kept', faults: [] },
  ...change,
});
const full = findBoard(shippedBoards, 'full-64')!;
const compact: BoardProfile = {
  ...full,
  id: 'compact',
  title: 'Compact',
  ethernet: false,
  video: 'mini',
  usb: 'micro',
  wifiBands: ['2.4 GHz'],
  wifiSecurity: ['open', 'wep', 'wpa2-psk'],
};

const everything: Partial<MovePlan> = {
  fromId: id(1),
  toId: id(2),
  bridgeId: id(3),
  hands: { cable: true, wiredAdapter: true, screen: true, adapters: true, spares: ['full-64', 'compact'] },
};
const board: MovingBoard = {
  deviceId: id(50),
  profile: full,
  proved: true,
  loginLacks: '',
  password: true,
  written: true,
  again: true,
};

interface Case {
  plan?: Partial<MovePlan>;
  board?: Partial<MovingBoard>;
  from?: ShelvedNetwork | null;
  to?: ShelvedNetwork | null;
  bridge?: ShelvedNetwork | null;
  today?: string;
}

const movingOf = ({ plan = {}, from, to, bridge, today = '2026-12-01' }: Case): Moving => ({
  plan: MovePlanSchema.parse({ ...everything, ...plan }),
  from: from === undefined ? network(1) : from,
  to: to === undefined ? network(2) : to,
  bridge: bridge === undefined ? network(3, { clientLimit: 5 }) : bridge,
  today,
});
const open = (one: Case): WayId[] =>
  waysOf(movingOf(one), { ...board, ...one.board })
    .filter((way) => way.open)
    .map((way) => way.id);

const all: WayId[] = [...wayIds];
const without = (...ids: WayId[]): WayId[] => all.filter((way) => !ids.includes(way));
const hands = (change: Partial<MovePlan['hands']>): Partial<MovePlan> => ({
  hands: { ...MovePlanSchema.parse(everything).hands, ...change },
});

describe('the ways of a board', () => {
  it.each<[string, Case, WayId[]]>([
    ['everything is at hand', {}, all],
    ['the old network’s last day is today', { plan: { oldEnds: '2026-12-01' } }, all],
    ['it was yesterday', { plan: { oldEnds: '2026-11-30' } }, without('over-old', 'bridge')],
    ['the new network begins later', { plan: { newBegins: '2027-01-01' } }, all],
    ['this computer reaches the old one only', { plan: { bench: 'old' } }, all],
    ['it reaches the new one only', { plan: { bench: 'new' } }, without('over-old', 'bridge')],
    ['the board was not proved', { board: { proved: false } }, without('over-old', 'bridge')],
    [
      'nobody can log in to it',
      { board: { loginLacks: 'the key is off' } },
      without('over-old', 'bridge', 'sister'),
    ],
    ['no old network is chosen', { from: null }, without('over-old', 'bridge')],
    ['no new network is chosen', { to: null }, ['cable']],
    ['no bridge is chosen', { bridge: null }, without('bridge')],
    [
      'its radio hears other bands than the new network’s',
      { board: { profile: { ...full, wifiBands: ['2.4 GHz'] } }, to: network(2, { bands: ['5 GHz'] }) },
      ['cable'],
    ],
    [
      'its radio does not know the new network’s security',
      { board: { profile: compact }, to: network(2, { security: 'wpa3-sae' }) },
      ['cable'],
    ],
    [
      'its radio hears the new network and not the bridge',
      { board: { profile: { ...full, wifiBands: ['2.4 GHz'] } }, bridge: network(3, { bands: ['5 GHz'] }) },
      without('bridge'),
    ],
    ['it has no radio', { board: { profile: { ...full, wifiBands: [] } } }, ['cable']],
    ['no cable is at hand', { plan: hands({ cable: false }) }, without('cable', 'sister')],
    [
      'no socket of the new network is in reach',
      { plan: { outOfReach: [board.deviceId] } },
      without('cable'),
    ],
    ['it has no wired socket, and an adapter is there', { board: { profile: compact } }, all],
    [
      'it has no wired socket, and none is there',
      { board: { profile: compact }, plan: hands({ wiredAdapter: false }) },
      without('cable', 'sister'),
    ],
    [
      'it has no socket at all',
      { board: { profile: { ...compact, usb: 'none' } } },
      without('cable', 'screen', 'sister'),
    ],
    ['no screen is at hand', { plan: hands({ screen: false }) }, without('screen')],
    [
      'small sockets without adapters',
      { board: { profile: compact }, plan: hands({ adapters: false }) },
      without('screen'),
    ],
    [
      'full sockets need none',
      { board: { profile: { ...full, video: 'full', usb: 'full' } }, plan: hands({ adapters: false }) },
      all,
    ],
    ['it has no video socket', { board: { profile: { ...full, video: 'none' } } }, without('screen')],
    ['nobody has a password', { board: { password: false } }, without('screen')],
    ['a spare board of another kind is there', { plan: hands({ spares: ['compact'] }) }, without('sister')],
    [
      'its system is on soldered flash',
      { board: { profile: { ...full, storage: 'emmc' } } },
      without('sister'),
    ],
    [
      'its system is on a USB disk',
      { board: { profile: { ...full, storage: 'usb' } } },
      without('sister', 'settings', 'card'),
    ],
    ['its image takes settings in once', { board: { again: false } }, without('settings')],
    ['its image is set up by hand', { board: { written: false, again: false } }, without('settings', 'card')],
    ['its profile is gone', { board: { profile: null } }, []],
    [
      'after the old network with nothing at hand',
      {
        today: '2027-02-01',
        plan: { oldEnds: '2027-01-31', ...hands({ cable: false, screen: false, spares: [] }) },
      },
      ['settings', 'card'],
    ],
  ])('are open exactly when they can be gone: %s', (_what, one, expected) => {
    expect([...open(one)].sort()).toEqual([...expected].sort());
  });

  it('stand in the trade’s order, with the bridge first over days without a network', () => {
    expect(open({})).toEqual(all);
    expect(open({ plan: { oldEnds: '2026-12-10', newBegins: '2026-12-20' } }).slice(0, 2)).toEqual([
      'bridge',
      'over-old',
    ]);
    expect(open({ plan: { oldEnds: '2026-12-20', newBegins: '2026-12-10' } })[0]).toBe('over-old');
  });

  it('say everything that closes them, and have instructions where they are open', () => {
    for (const way of waysOf(movingOf({ plan: hands({ screen: false }) }), { ...board, password: false })) {
      expect(way.why).toMatch(/^[A-Z“].*\.$/);
      if (way.id === 'screen') expect(way.why).toMatch(/no screen.*; nobody can log in at a keyboard/i);
    }
    for (const bench of ['old', 'both'] as const)
      for (const way of wayIds) {
        const lines = instructionsOf(movingOf({ plan: { bench } }), way);
        expect(lines.length).toBeGreaterThanOrEqual(2);
        for (const line of lines) expect(line).toMatch(/[.]$/);
      }
  });
});

describe('who takes which way', () => {
  const ways = (bridge: boolean, other: number | null): Choosing['ways'] => [
    { id: 'bridge', open: bridge, minutes: 1.5 },
    { id: 'card', open: other !== null, minutes: other ?? 0 },
  ];

  /** Every choice of who gives a place on the bridge up: how many are left without, and the minutes lost. */
  function best(devices: readonly Choosing[], room: number): { without: number; loss: number } {
    const wanting = devices.filter(({ ways: [bridge] }) => bridge!.open);
    const none = devices.filter(({ ways: some }) => some.every((way) => !way.open)).length;
    let found = { without: Infinity, loss: Infinity };
    for (let mask = 0; mask < 2 ** wanting.length; mask++) {
      const onBridge = wanting.filter((_, at) => (mask >> at) & 1);
      if (onBridge.length !== Math.min(room, wanting.length)) continue;
      const rest = wanting.filter((_, at) => !((mask >> at) & 1));
      const without = none + rest.filter(({ ways: [, other] }) => !other!.open).length;
      const loss = rest.reduce(
        (sum, { ways: [, other] }) => sum + (other!.open ? other!.minutes - 1.5 : 0),
        0,
      );
      if (without < found.without || (without === found.without && loss < found.loss))
        found = { without, loss };
    }
    return found;
  }

  it('no device is left without a way that could have one, with the fewest minutes: against every choice there is', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ bridge: fc.boolean(), other: fc.option(fc.integer({ min: 2, max: 12 })) }), {
          minLength: 1,
          maxLength: 8,
        }),
        fc.integer({ min: 0, max: 8 }),
        (some, room) => {
          const devices = some.map(({ bridge, other }, at) => ({
            deviceId: String(at),
            ways: ways(bridge, other),
          }));
          const chosen = chooseWays(devices, room);
          const on = [...chosen.values()].filter((way) => way === 'bridge').length;
          expect(on).toBeLessThanOrEqual(room);
          const without = [...chosen.values()].filter((way) => way === null).length;
          const loss = devices.reduce(
            (sum, { deviceId, ways: [bridge, other] }) =>
              sum + (bridge!.open && chosen.get(deviceId) === 'card' ? other!.minutes - 1.5 : 0),
            0,
          );
          expect({ without, loss }).toEqual(best(devices, room));
        },
      ),
      { numRuns: 300 },
    );
  });

  it('counts this computer among the bridge’s clients', () => {
    const devices = Array.from({ length: 6 }, (_, at) => ({ ...board, deviceId: id(50 + at) }));
    const moving = movingOf({
      plan: { oldEnds: '2026-12-10', newBegins: '2026-12-20', ...hands({ cable: false }) },
    });
    const { chosen } = allWays(moving, devices);
    expect([...chosen.values()].filter((way) => way === 'bridge')).toHaveLength(4);
    expect([...chosen.values()].filter((way) => way === 'over-old')).toHaveLength(2);
  });
});

describe('the days of a move', () => {
  const devices = [
    board,
    { ...board, deviceId: id(51), profile: compact },
    {
      ...board,
      deviceId: id(52),
      proved: false,
      written: false,
      profile: { ...full, video: 'none' as const },
    },
  ];
  const plan = {
    oldEnds: '2027-06-30',
    newBegins: '2027-07-05',
    bridgeId: null,
    ...hands({ spares: [], wiredAdapter: false }),
  };

  it('come in order, each last day said, the gap between too', () => {
    const moving = movingOf({ plan, bridge: null });
    const days = daysOf(moving, allWays(moving, devices));
    expect(days.map(({ day, last }) => `${day}${last ? ' last' : ''}`)).toEqual([
      '2027-06-30 last',
      '2027-06-30',
      '2027-07-01',
      '2027-07-05',
      '2027-07-05',
    ]);
    expect(days[2]?.what).toBe('No network until 2027-07-05.');
    expect(dayAfter('2028-02-28')).toBe('2028-02-29');
    expect(dayAfter('2026-12-31')).toBe('2027-01-01');
  });

  it('what is lost by waiting is said, board by board of need', () => {
    const moving = movingOf({ plan, bridge: null });
    expect(lostByWaiting(moving, devices)).toBe(
      'After 2027-06-30 1 board needs a cable and 1 board needs a screen and a keyboard.',
    );
    expect(lostByWaiting(movingOf({ plan: { ...plan, oldEnds: '' }, bridge: null }), devices)).toBe('');
    expect(lostByWaiting({ ...moving, today: '2027-07-01' }, devices)).toBe('');
    const bare = movingOf({
      plan: { ...plan, ...hands({ cable: false, screen: false, spares: [] }) },
      bridge: null,
    });
    const left = (change: Partial<MovingBoard>): string => lostByWaiting(bare, [{ ...board, ...change }]);
    expect(left({ written: false, again: false })).toBe('After 2027-06-30 1 board has no way left.');
    expect(left({ again: false })).toBe(
      'After 2027-06-30 1 board needs its card written anew, and loses what is on it.',
    );
    expect(left({})).toBe('After 2027-06-30 1 board needs its card in a slot.');
  });

  it('a board that waits has no more ways than one that does not', () => {
    const days = fc
      .integer({ min: 0, max: 60 })
      .map((n) => new Date(Date.UTC(2026, 11, 1) + n * 86_400_000).toISOString().slice(0, 10));
    fc.assert(
      fc.property(days, days, days, fc.boolean(), (oldEnds, first, second, proved) => {
        const [today, later] = [first, second].sort() as [string, string];
        const now = open({ today, plan: { oldEnds }, board: { proved } });
        const then = open({ today: later, plan: { oldEnds }, board: { proved } });
        expect(then.every((way) => now.includes(way))).toBe(true);
        expect(bestOf(waysOf(movingOf({ today, plan: { oldEnds } }), board))).not.toBeNull();
      }),
    );
  });
});

describe('what is wrong with a move', () => {
  const batch = emptyPlan('Tanks');
  let drawn = 0;
  const devices = addDevices(batch, ['a', 'b'], '', {
    random: (below) => drawn++ % below,
    id: () => id(60 + drawn),
  });
  const texts = (one: Case, plan = devices): string[] =>
    moveFindings(movingOf(one), plan).map(({ text, stops }) => `${stops ? 'stops: ' : ''}${text}`);
  const net = (end: number, change: Partial<ShelvedNetwork> = {}): ShelvedNetwork =>
    network(end, { subnet: `192.168.${String(end)}.0/24`, ...change });
  const sound = { from: net(1), to: net(2), bridge: null };
  const planned = { ...devices, networks: [{ networkId: id(2), priority: 1 }] };

  it.each<[string, Case, RegExp]>([
    ['no network is chosen', { ...sound, to: null }, /^stops: The networks of the move are not chosen/],
    ['both are the same', { ...sound, to: net(1) }, /^stops: .*are the same/],
    [
      'the key is missing',
      { ...sound, to: net(2, { secret: { state: 'missing', faults: [] } }) },
      /^stops: The key of the new network is not known/,
    ],
    [
      'the key is too short',
      { ...sound, to: net(2, { secret: { state: 'kept', faults: ['short'] } }) },
      /^stops: The key of the new network cannot be right/,
    ],
    ['its addresses are not known', { ...sound, to: net(2, { subnet: '' }) }, /^stops: The addresses of/],
    [
      'nor are they now, where nobody is looked for',
      { ...sound, plan: { bench: 'old' }, to: net(2, { subnet: '' }) },
      /^The addresses of/,
    ],
    // Private ranges (RFC 1918) that lie in one another.
    [
      'they share addresses',
      { ...sound, to: net(2, { subnet: '192.168.1.128/25' }) },
      /^The old and the new network share/,
    ],
    [
      'there is a gap',
      { ...sound, plan: { oldEnds: '2027-01-01', newBegins: '2027-01-03' } },
      /^Between 2027-01-01/,
    ],
    [
      'there is no room',
      { ...sound, to: net(2, { clientLimit: 2 }) },
      /takes 2 clients, this computer among them/,
    ],
    ['nor on the bridge', { ...sound, bridge: net(3, { clientLimit: 1 }) }, /^The bridge takes 1 clients/],
  ])('is told, and nothing else: %s', (_what, one, told) => {
    const all = texts(one, {
      ...planned,
      networks: [...planned.networks, { networkId: id(1), priority: 0 }],
    });
    expect(all).toHaveLength(1);
    expect(all[0]).toMatch(told);
  });

  it('nothing, where all is well; the VPN’s range, and a plan without the network, are told too', () => {
    expect(texts(sound, planned)).toEqual([]);
    const vpn = { ...planned.vpn, wanted: true, network: '192.168.2.0/26' };
    expect(texts(sound, { ...planned, vpn })).toEqual(['The new network shares addresses with the VPN.']);
    expect(moveFindings(movingOf(sound), devices).map(({ fix }) => fix)).toEqual(['into-plan']);
    const open = net(2, { security: 'open', secret: { state: 'missing', faults: [] } });
    expect(texts({ ...sound, to: open }, planned)).toEqual([]);
  });

  it('the network goes into the plan as boards have it: above whatever else they have, once', () => {
    const others = [
      { networkId: id(1), priority: 40 },
      { networkId: id(2), priority: 3 },
    ];
    expect(withNetwork({ ...batch, networks: others }, id(2), 25).networks).toEqual([
      { networkId: id(2), priority: 41 },
      { networkId: id(1), priority: 40 },
    ]);
    expect(withNetwork(batch, id(2), 25).networks).toEqual([{ networkId: id(2), priority: 25 }]);
  });

  it('the old network goes out of the plan when boards have forgotten it, and not before', () => {
    const both = {
      ...devices,
      networks: [
        { networkId: id(2), priority: 9 },
        { networkId: id(1), priority: 4 },
      ],
    };
    const fixes = (plan: Plan, takenOff: number): unknown[] =>
      moveFindings(movingOf(sound), plan, takenOff).map(({ fix }) => fix);
    expect(fixes(both, 0)).toEqual([]);
    expect(fixes(both, 1)).toEqual(['out-of-plan']);
    expect(fixes(withoutNetwork(both, id(1)), 1)).toEqual([]);
    expect(withoutNetwork(both, id(1)).networks).toEqual([{ networkId: id(2), priority: 9 }]);
    // First the new one has to be there.
    expect(fixes({ ...both, networks: [{ networkId: id(1), priority: 4 }] }, 1)).toEqual(['into-plan']);
  });
});

describe('what a board says of its networks', () => {
  it('is read as nmcli and wpa_cli print it (NetworkManager 1.42, wpa_supplicant 2.10; recorded)', () => {
    expect(
      readLook(`manager=networkmanager
saved=netplan-eth0:626dd384-8b3d-3690-9511-192b2c79b3fd:802-3-ethernet:yes:0:no
saved=Bench\\: hall \\\\ two:2f1d7c3b-8a0f-4f0e-9a36-5b0e2c1a9e10:802-11-wireless:yes:20:yes
saved=nest-mark-5b0e2c1a:5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10:802-11-wireless:no:0:no
state=5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10 gone
same=yes
timer=active
timers=yes`),
    ).toEqual({
      manager: 'networkmanager',
      saved: [
        { name: 'Bench: hall \\ two', priority: 20, active: true, auto: true },
        { name: 'nest-mark-5b0e2c1a', priority: 0, active: false, auto: false },
      ],
      move: { id: '5b0e2c1a-8a0f-4f0e-9a36-2f1d7c3b9e10', state: 'gone' },
      sameBoot: true,
      returns: true,
      timers: true,
    });
    const told = readLook(
      'manager=wpa-supplicant\nlisted=network id / ssid / bssid / flags\nlisted=0\tBench\tany\t[CURRENT]\nlisted=1\tOld hall\tany\t[DISABLED]\nstate=\ntimer=inactive',
    );
    expect(told).toMatchObject({ manager: 'wpa-supplicant', move: null, returns: false, timers: false });
    expect(told.saved.map(({ name, active, auto }) => [name, active, auto])).toEqual([
      ['Bench', true, true],
      ['Old hall', false, false],
    ]);
  });

  it('whatever it prints, something sound comes of it', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (text) => {
        const { manager, saved, move } = readLook(text);
        expect([null, 'networkmanager', 'netplan', 'iwd', 'wpa-supplicant']).toContain(manager);
        expect(saved.every(({ name }) => name.length <= 80)).toBe(true);
        expect(move === null || typeof move.id === 'string').toBe(true);
      }),
    );
  });
});
