import fc from 'fast-check';
import {
  addDevices,
  emptyNetwork,
  emptyPlan,
  shippedBoards,
  type BoardProfile,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import {
  BatterySchema,
  batteryCautions,
  batteryLife,
  beforeYouLeave,
  besideOthers,
  cellKinds,
  tripCheckIds,
  coldShare,
  fieldFindings,
  FieldPlanSchema,
  onSite,
  rehearsalStanding,
  roomOf,
  span,
  usualMilliamp,
  verdictOf,
  type Battery,
  type TripCheckId,
  type FieldFacts,
  type Rehearsal,
} from '@nest-mark/core/in-field';

const battery = (change: Partial<Battery> = {}): Battery => ({
  ...BatterySchema.parse({ coldest: 20, usablePercent: 100 }),
  ...change,
});
const uuid = (n: number): string => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;

describe('battery arithmetic', () => {
  // Reckoned by hand.
  it.each([
    // 20 Ah × 3.7 V = 74 Wh; × 0.85 = 62.9 Wh; a board of 400 mA at 5 V draws 2 W: 31.45 h, less a fifth 25.16 h.
    ['a bank of 20,000 mAh and a board of 2 W', battery({ hours: 24 }), 400, [74, 62.9, 2, 31.45, 25.16, 1]],
    // The same at 0 °C gives 85 % of it: 53.465 Wh, 26.7325 h, 21.386 h: not a whole day any more.
    [
      'the same at freezing point',
      battery({ hours: 24, coldest: 0 }),
      400,
      [74, 53.465, 2, 26.7325, 21.386, 2],
    ],
    // 7 Ah × 12 V = 84 Wh, half of it may be used, 90 %: 37.8 Wh. Awake a tenth of the time at 1.5 W, else 50 mW:
    // 0.15 + 0.045 = 0.195 W: 193.846 h, less a quarter 145.385 h; for 300 h three of them.
    [
      'a lead battery and a board that sleeps',
      battery({
        cells: 'lead',
        milliampHours: 7000,
        volts: 12,
        usablePercent: 50,
        efficiencyPercent: 90,
        awakePercent: 10,
        asleepMilliwatt: 50,
        marginPercent: 25,
        hours: 300,
      }),
      300,
      [84, 37.8, 0.195, 193.846, 145.385, 3],
    ],
  ])('%s', (_, given, milliamp, [stored, usable, watts, hours, kept, needed]) => {
    const life = batteryLife(given, milliamp);
    expect(life.stored).toBeCloseTo(stored!, 3);
    expect(life.usable).toBeCloseTo(usable!, 3);
    expect(life.watts).toBeCloseTo(watts!, 3);
    expect(life.hours).toBeCloseTo(hours!, 2);
    expect(life.kept).toBeCloseTo(kept!, 2);
    expect(life.needed).toBe(needed);
  });

  it('asks for one battery where it lasts exactly as long as is wanted, and lasts for ever where nothing is drawn', () => {
    expect(batteryLife(battery({ hours: 25.16 }), 400).needed).toBe(1);
    expect(batteryLife(battery({ hours: 25.17 }), 400).needed).toBe(2);
    const still = batteryLife(battery({ awakePercent: 0, asleepMilliwatt: 0 }), 400);
    expect(still).toMatchObject({ hours: Infinity, needed: 1 });
  });

  it('lasts longer with more capacity, less draw, more warmth, and never longer with a margin (random batteries)', () => {
    const any = fc.record({
      cells: fc.constantFrom(...cellKinds),
      milliampHours: fc.integer({ min: 1, max: 1_000_000 }),
      coldest: fc.integer({ min: -40, max: 60 }),
      awakePercent: fc.integer({ min: 1, max: 100 }),
      marginPercent: fc.integer({ min: 0, max: 90 }),
    });
    fc.assert(
      fc.property(any, fc.integer({ min: 1, max: 5000 }), (given, milliamp) => {
        const one = battery(given);
        const hours = batteryLife(one, milliamp).hours;
        const { kept } = batteryLife(one, milliamp);
        expect(kept).toBeLessThanOrEqual(hours);
        expect(batteryLife({ ...one, milliampHours: one.milliampHours * 2 }, milliamp).hours).toBeCloseTo(
          hours * 2,
          6,
        );
        expect(batteryLife(one, milliamp + 1).hours).toBeLessThan(hours);
        expect(batteryLife({ ...one, coldest: one.coldest + 1 }, milliamp).hours).toBeGreaterThanOrEqual(
          hours,
        );
      }),
    );
  });

  it('reads what the cold leaves from a line between known temperatures', () => {
    expect(coldShare('lithium-ion', 20)).toBe(1);
    expect(coldShare('lithium-ion', 45)).toBe(1);
    expect(coldShare('lithium-ion', 10)).toBeCloseTo(0.925, 9);
    expect(coldShare('lithium-ion', -20)).toBe(0.5);
    expect(coldShare('lithium-ion', -35)).toBe(0.5);
  });

  it('warns of what hurts: frozen cells, hot ones, gas, and of banks that switch off', () => {
    const text = (change: Partial<Battery>): string => batteryCautions(battery(change)).join(' ');
    expect(text({})).toContain('swollen');
    expect(text({})).not.toContain('0 °C');
    expect(text({ coldest: -1 })).toContain('not charged while they are frozen');
    expect(text({ coldest: -1, cells: 'lead' })).toContain('freezes and bursts');
    expect(text({ cells: 'lead' })).toContain('gas');
    expect(text({ coldest: 41 })).toContain('sun');
    expect(text({ awakePercent: 10, asleepMilliwatt: 50 })).toContain('switch off');
    expect(text({ awakePercent: 10, asleepMilliwatt: 400 })).not.toContain('switch off');
  });
});

const begunAt = Date.parse('2026-11-28T10:00:00Z');
const tried = (provedAfter: readonly (number | null)[]): Rehearsal['boards'] =>
  provedAfter.map((seconds, n) => ({
    deviceId: uuid(n + 1),
    hostName: `buoy-0${String(n + 1)}`,
    address: seconds === null ? null : `192.168.43.${String(n + 10)}`,
    provedAt: seconds === null ? null : begunAt + seconds * 1000,
  }));

describe('the verdict of a rehearsal', () => {
  const six = { network: 'Keeper', begunAt, room: null };

  it('passes only where everybody was proved, with the times of the first and the last', () => {
    expect(verdictOf({ ...six, boards: tried([21, 40, 33, 102, 70, 44]) }, 'all')).toEqual({
      passed: true,
      verdict: '6 of 6 proved over “Keeper”, the first after 0:21 min, the last after 1:42 min.',
    });
    expect(verdictOf({ ...six, boards: tried([21]) }, 'all').verdict).toBe(
      '1 of 1 proved over “Keeper”, after 0:21 min.',
    );
  });

  it('says who is missing, and that there was no room where there was none', () => {
    const boards = tried([21, 40, 33, 102, 70, null]);
    expect(verdictOf({ ...six, boards }, 'time')).toEqual({
      passed: false,
      verdict:
        '5 of 6 proved over “Keeper”, the first after 0:21 min, the last after 1:42 min. Missing: buoy-06. The time was up.',
    });
    expect(verdictOf({ ...six, room: 5, boards }, 'asked').verdict).toContain(
      'It has room for 5 beside this computer, and they were there',
    );
    expect(verdictOf({ ...six, room: 6, boards }, 'asked').verdict).not.toContain('room');
    const nobody = verdictOf({ ...six, boards: tried([null, null]) }, 'asked').verdict;
    expect(nobody).toContain('0 of 2 proved over “Keeper”. Missing: buoy-01 and buoy-02.');
    expect(nobody).toContain('whether this computer is on it');
  });

  it('writes times as people read them', () => {
    expect([span(0), span(59_499), span(59_500), span(-5), span(3_600_000)]).toEqual([
      '0:00 min',
      '0:59 min',
      '1:00 min',
      '0:00 min',
      '60:00 min',
    ]);
  });
});

const rehearsal = (change: Partial<Rehearsal> = {}): Rehearsal => ({
  id: uuid(900),
  purpose: 'rehearsal',
  network: 'Keeper',
  networkId: uuid(800),
  networkVersion: 3,
  begunAt,
  begunBy: 'you',
  endedAt: begunAt + 200_000,
  passed: true,
  verdict: 'well',
  boards: tried([21, 40]),
  ...change,
});

describe('how a rehearsal stands today', () => {
  const since = {
    network: { id: uuid(800), version: 3 },
    deviceIds: [uuid(1), uuid(2)],
    writtenAt: new Map<string, number>(),
  };
  it.each([
    ['none was made', [], since, 'none', ''],
    ['one goes on', [rehearsal({ endedAt: null, passed: null })], since, 'none', ''],
    ['it was on site', [rehearsal({ purpose: 'site' })], since, 'none', ''],
    ['it passed', [rehearsal()], since, 'passed', 'well'],
    ['it failed', [rehearsal({ passed: false, verdict: 'Missing: x' })], since, 'failed', 'Missing: x'],
    [
      'a newer one failed',
      [rehearsal({ passed: false, begunAt: begunAt + 1 }), rehearsal()],
      since,
      'failed',
      '',
    ],
    [
      'the network was changed',
      [rehearsal()],
      { ...since, network: { id: uuid(800), version: 4 } },
      'lapsed',
      'the network was changed',
    ],
    [
      'another network serves',
      [rehearsal()],
      { ...since, network: { id: uuid(801), version: 3 } },
      'lapsed',
      'another network',
    ],
    ['none serves', [rehearsal()], { ...since, network: null }, 'lapsed', 'another network'],
    [
      'a board came to it',
      [rehearsal()],
      { ...since, deviceIds: [uuid(1), uuid(2), uuid(3)] },
      'lapsed',
      '1 board was not in it',
    ],
    ['a board stays at home', [rehearsal()], { ...since, deviceIds: [uuid(1)] }, 'passed', ''],
    [
      'a card was written since',
      [rehearsal()],
      { ...since, writtenAt: new Map([[uuid(2), begunAt + 90_000]]) },
      'lapsed',
      'the card of buoy-02 written since',
    ],
    [
      'a card was written before',
      [rehearsal()],
      { ...since, writtenAt: new Map([[uuid(2), begunAt]]) },
      'passed',
      '',
    ],
  ] as const)('%s', (_, list, facts, standing, why) => {
    const stands = rehearsalStanding(list, facts);
    expect(stands.standing).toBe(standing);
    expect(stands.why).toContain(why);
  });
});

const compact: BoardProfile = shippedBoards.find(({ id }) => id === 'compact-64')!;
const hotspot = (change: Partial<ShelvedNetwork> = {}): ShelvedNetwork => ({
  ...emptyNetwork('Keeper'),
  ssid: 'Keeper',
  subnet: '192.168.43.0/24',
  id: uuid(800),
  version: 3,
  secret: { state: 'kept', faults: [] },
  ...change,
});
function facts(count: number, change: Partial<FieldFacts> = {}): FieldFacts {
  let next = 0;
  let drawn = 0;
  const named = addDevices(
    emptyPlan('Buoys'),
    Array.from({ length: count }, (_, n) => `buoy-0${String(n + 1)}`),
    '',
    { random: (below) => next++ % below, id: () => uuid(++drawn) },
  );
  const batch: Plan = {
    ...named,
    networks: [
      { networkId: uuid(700), priority: 20 },
      { networkId: uuid(800), priority: 10 },
    ],
    network: { subnet: '192.168.60.0/24', port: 22 },
  };
  return {
    plan: FieldPlanSchema.parse({ networkId: uuid(800) }),
    batch,
    network: hotspot(),
    boards: batch.devices.map((device) => ({ device, profile: compact, written: true })),
    rehearsal: { standing: 'passed', why: '' },
    bundleAt: 10,
    bundleCurrent: true,
    provedOnSite: 0,
    visited: 0,
    ...change,
  };
}
const texts = (given: FieldFacts): string =>
  fieldFindings(given)
    .map(({ text }) => text)
    .join('\n');

describe('what is wrong with a trip', () => {
  it('is nothing where all is well', () => {
    expect(fieldFindings(facts(3))).toEqual([]);
  });

  it('is six boards and room for five, said before anybody leaves', () => {
    // Six clients, this computer among them: room for five boards.
    expect(texts(facts(6, { network: hotspot({ clientLimit: 6 }) }))).toContain(
      '“Keeper” has room for 5 boards beside this computer, and 6 go.',
    );
    expect(texts(facts(5, { network: hotspot({ clientLimit: 6 }) }))).toBe('');
    // Its address server may be what is small.
    expect(texts(facts(6, { network: hotspot({ clientLimit: 20, poolSize: 6 }) }))).toContain('room for 5');
    expect([roomOf(null), roomOf(hotspot()), roomOf(hotspot({ clientLimit: 0 }))]).toEqual([null, null, 0]);
  });

  it.each([
    ['no network is chosen', { network: null }, 'is not chosen', true],
    ['its addresses are unknown', { network: hotspot({ subnet: '' }) }, 'are not known', true],
    [
      'it shares them with the bench',
      { network: hotspot({ subnet: '192.168.60.0/25' }) },
      'shares addresses',
      true,
    ],
    [
      'its key is missing',
      { network: hotspot({ secret: { state: 'missing', faults: [] } }) },
      'is missing or cannot be right',
      false,
    ],
    ['it keeps clients apart', { network: hotspot({ isolation: true }) }, 'keeps its clients apart', false],
    [
      'boards do not hear it',
      { network: hotspot({ bands: ['6 GHz'] }) },
      'cannot join “Keeper”: its radio',
      false,
    ],
    ['the plan lacks it', { network: hotspot({ id: uuid(801) }) }, 'does not have “Keeper”', false],
    ['nobody goes', { boards: [] }, 'No board goes', true],
  ] as const)('%s', (_, change, text, stops) => {
    const found = fieldFindings(facts(2, change)).find((finding) => finding.text.includes(text));
    expect(found).toMatchObject({ stops });
    expect(found?.todo).not.toBe('');
  });

  it('is no shared address where the boards know no other network: their bench is on the hotspot too', () => {
    const given = facts(2, { network: hotspot({ subnet: '192.168.60.0/25' }) });
    const only = [{ networkId: uuid(800), priority: 10 }];
    expect(texts(given)).toContain('shares addresses');
    expect(texts({ ...given, batch: { ...given.batch, networks: only } })).toBe('');
  });

  it('is a battery that does not last, and a board of which nobody knows what it draws', () => {
    const plan = FieldPlanSchema.parse({ networkId: uuid(800), battery: { milliampHours: 1000, hours: 24 } });
    expect(texts(facts(2, { plan }))).toMatch(/2 boards of 2 do not last 24 hours on one battery/);
    const unknown = { ...compact, typicalMilliamp: null };
    const given = facts(2, { plan });
    expect(texts({ ...given, boards: given.boards.map((one) => ({ ...one, profile: unknown })) })).toContain(
      'Nobody has measured what 2 boards draw.',
    );
    expect(usualMilliamp(given.batch, given.boards[0]!.device, compact)).toBe(compact.typicalMilliamp);
    expect(usualMilliamp(given.batch, given.boards[0]!.device, null)).toBeNull();
    const withCamera: Plan = {
      ...given.batch,
      power: {
        ...given.batch.power,
        peripherals: [{ title: 'camera', milliamp: 250, role: '' }],
      },
    };
    expect(usualMilliamp(withCamera, given.boards[0]!.device, compact)).toBe(compact.typicalMilliamp! + 250);
  });

  it('is mended by a network beside the others, below them, so that boards at home stay at home', () => {
    const { batch } = facts(1);
    const more = besideOthers(batch, uuid(801));
    expect(more.networks.at(-1)).toEqual({ networkId: uuid(801), priority: 9 });
    expect(besideOthers(more, uuid(801))).toBe(more);
    expect(
      besideOthers({ ...batch, networks: [{ networkId: uuid(1), priority: 0 }] }, uuid(2)).networks[1],
    ).toEqual({
      networkId: uuid(2),
      priority: 0,
    });
  });
});

describe('lists', () => {
  const state = (list: ReturnType<typeof onSite>, id: TripCheckId): boolean | undefined =>
    list.find((check) => check.id === id)?.done;
  const none = new Set<TripCheckId>();

  it('tick by themselves what the bench knows, and leave the rest to hands', () => {
    const list = beforeYouLeave(facts(2), none);
    expect(list.filter(({ by }) => by === 'bench').map(({ id, done }) => [id, done])).toEqual([
      ['written', true],
      ['rehearsed', true],
      ['bundle', true],
    ]);
    expect(list.filter(({ by }) => by === 'hand').every(({ done }) => !done)).toBe(true);
    const ticked = new Set<TripCheckId>(['phone', 'written']);
    const half = facts(2);
    const again = beforeYouLeave(
      { ...half, boards: half.boards.map((board) => ({ ...board, written: false })) },
      ticked,
    );
    expect(state(again, 'phone')).toBe(true);
    // Nobody ticks what is not so.
    expect(state(again, 'written')).toBe(false);
    expect(state(beforeYouLeave(facts(0), none), 'written')).toBe(false);
  });

  it.each([
    ['never taken', { bundleAt: null }, false],
    ['taken before the plan was changed', { bundleCurrent: false }, false],
    ['taken since', {}, true],
  ])('know of a bundle %s', (_, change, done) => {
    expect(state(beforeYouLeave(facts(1, change), none), 'bundle')).toBe(done);
  });

  it('speak of batteries and spare cards where there are some', () => {
    const ids = (plan: object): TripCheckId[] =>
      beforeYouLeave(facts(2, { plan: FieldPlanSchema.parse(plan) }), none).map(({ id }) => id);
    expect(ids({ spareCards: 0 })).not.toContain('spares');
    expect(ids({ spareCards: 2 })).toContain('spares');
    expect(ids({})).not.toContain('battery');
    expect(ids({ battery: {} })).toContain('battery');
  });

  it('are done on site when everybody was proved and visited', () => {
    expect(state(onSite(facts(2, { provedOnSite: 2, visited: 1 }), none), 'proved')).toBe(true);
    expect(state(onSite(facts(2, { provedOnSite: 2, visited: 1 }), none), 'visits')).toBe(false);
    expect(state(onSite(facts(2, { provedOnSite: 2, visited: 2 }), none), 'visits')).toBe(true);
  });

  it('have every check that can be ticked, once', () => {
    const plan = FieldPlanSchema.parse({ battery: {} });
    const all = [...beforeYouLeave(facts(1, { plan }), none), ...onSite(facts(1), none)].map(({ id }) => id);
    expect([...all].sort()).toEqual([...tripCheckIds].sort());
  });
});
