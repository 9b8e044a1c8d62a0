import { spawnSync } from 'node:child_process';
import fc from 'fast-check';
import { batchRecord, boardsByBands, emptyNetwork, toHex, utf8, WifiBandSchema } from '../src';
import type { ShelvedNetwork, WifiBand } from '../src';
import { boardProfiles } from '../src/boards/profiles';
import {
  boardsWith,
  expectations,
  heardByAdapter,
  heardByBoard,
  readBoardSignal,
  signalQuestion,
  spotsOf,
  walked,
  gathered,
  type HeardPoint,
  type Reading,
} from '../src/in-air';
import { isWeakSignal, shownLevel, strengthOf } from '../src/wifi/signal';
import { soundPlan } from './helpers/plan';

const BENCH = '11111111-1111-4111-8111-111111111111';
const SITE = '22222222-2222-4222-8222-222222222222';

const shelved = (id: string, ssid: string, more: Partial<ShelvedNetwork> = {}): ShelvedNetwork => ({
  ...emptyNetwork(ssid),
  ssid,
  bands: ['2.4 GHz', '5 GHz'],
  id,
  version: 1,
  secret: { state: 'kept', faults: [] },
  ...more,
});

let moment = 0;
const reading = (
  place: string,
  band: WifiBand,
  dbm: number | null,
  more: Partial<Reading> = {},
): Reading => ({
  id: '33333333-3333-4333-8333-333333333333',
  place,
  networkId: BENCH,
  network: 'Bench',
  band,
  dbm,
  about: false,
  sensor: 'adapter',
  sensorName: 'wlan1',
  at: moment++,
  by: 'mara',
  ...more,
});

const point = (
  ssid: string,
  band: WifiBand,
  signal: number | null,
  quality: number | null = null,
): HeardPoint => ({
  bssid: `02:00:00:00:0${String((moment += 1) % 10)}:00`,
  ssidHex: toHex(utf8(ssid)),
  band,
  channel: band === '5 GHz' ? 36 : 6,
  mhz: band === '5 GHz' ? 5180 : 2437,
  signal,
  quality,
  security: 'wpa2-psk',
  country: '',
});

describe('how much of a signal there is', () => {
  it('is trouble from -75 dBm on down, and sound from -67 dBm on up (common practice)', () => {
    expect([-40, -67, -68, -74, -75, -90, null].map(strengthOf)).toEqual([
      'sound',
      'sound',
      'fair',
      'fair',
      'weak',
      'weak',
      'none',
    ]);
    expect([isWeakSignal(-74.6), isWeakSignal(-75)]).toEqual([false, true]);
  });

  it('is said with a true minus and its unit', () => {
    expect([shownLevel(-58), shownLevel(-70, true), shownLevel(null)]).toEqual([
      '−58 dBm',
      'about −70 dBm',
      'not heard',
    ]);
  });
});

describe('what an adapter hears of a plan’s networks', () => {
  const networks = [shelved(BENCH, 'Larch Bench'), shelved(SITE, 'larch bench')];

  it('is the loudest point of the very name on each band, and "not heard" where it could have been', () => {
    const air = gathered([
      point('Larch Bench', '2.4 GHz', -71),
      point('Larch Bench', '2.4 GHz', -58.4),
      point('Larch Bench ', '5 GHz', -40),
    ]);
    expect(heardByAdapter(networks, air, ['2.4 GHz', '5 GHz'])).toMatchObject([
      { networkId: BENCH, band: '2.4 GHz', dbm: -58, about: false },
      { networkId: BENCH, band: '5 GHz', dbm: null },
      { networkId: SITE, band: '2.4 GHz', dbm: null },
      { networkId: SITE, band: '5 GHz', dbm: null },
    ]);
  });

  it('says nothing of bands that the adapter lacks, nor of hidden networks that it does not hear', () => {
    const hidden = shelved(BENCH, 'Larch Bench', { hidden: true });
    expect(heardByAdapter([hidden], [], ['2.4 GHz', '5 GHz'])).toEqual([]);
    expect(heardByAdapter(networks.slice(0, 1), [], ['2.4 GHz'])).toHaveLength(1);
    expect(heardByAdapter(networks, [], [])).toEqual([]);
  });

  it('is marked as reckoned where only a share of the best is told', () => {
    expect(
      heardByAdapter(networks.slice(0, 1), gathered([point('Larch Bench', '2.4 GHz', null, 60)]), [
        '2.4 GHz',
      ]),
    ).toMatchObject([{ dbm: -70, about: true }]);
  });
});

describe('what a board tells of its radio', () => {
  const networks = [shelved(BENCH, 'Larch Bench')];
  const told = (text: string, bands: WifiBand[] = ['2.4 GHz', '5 GHz']) =>
    heardByBoard(readBoardSignal(text), networks, bands);
  const wireless = 'level=0000   70.  -58.  -256        0      0      0      0      0        0\n';

  // `iw dev wlan0 link` of iw 5.19, as printed.c and link.c of it write it; later ones add a fraction to the frequency.
  it('is read from iw', () => {
    expect(
      told(
        'interface=wlan0\niw=Connected to 02:00:00:00:04:00 (on wlan0)\niw=\tSSID: Larch Bench\niw=\tfreq: 5180.0\niw=\tRX: 3062 bytes (21 packets)\niw=\tsignal: -61 dBm\n',
      ),
    ).toMatchObject({ networkId: BENCH, band: '5 GHz', dbm: -61, about: false });
  });

  it('is read from NetworkManager and the kernel where there is no iw', () => {
    expect(told(`interface=wlan0\nnm=4C617263682042656E6368:2437 MHz\n${wireless}`)).toMatchObject({
      band: '2.4 GHz',
      dbm: -58,
    });
  });

  it('is taken for the only network and the only band there can be, and else not guessed', () => {
    expect(told(`interface=wlan0\n${wireless}`, ['2.4 GHz'])).toMatchObject({ band: '2.4 GHz', dbm: -58 });
    expect(told(`interface=wlan0\n${wireless}`)).toMatch(/on which band/);
    expect(
      heardByBoard(
        readBoardSignal(`interface=wlan0\n${wireless}`),
        [...networks, shelved(SITE, 'x')],
        ['2.4 GHz'],
      ),
    ).toMatch(/not which network/);
  });

  it('is refused in words where it says nothing that can be used', () => {
    expect(told('')).toMatch(/no Wi-Fi radio/);
    expect(told('interface=wlan0\niw=Not connected.\n')).toMatch(/on no network/);
    expect(told('interface=wlan0\niw=\tSSID: Elsewhere\niw=\tfreq: 2437\niw=\tsignal: -50 dBm\n')).toMatch(
      /not one of its plan/,
    );
    // Levels that are none of a radio: drivers that count otherwise, a board that lies.
    expect(told('interface=wlan0\niw=\tSSID: Larch Bench\niw=\tfreq: 2437\niw=\tsignal: 40 dBm\n')).toMatch(
      /on no network/,
    );
    expect(told('interface=wlan0\nlevel=0000 70. 198. 0 0 0 0 0 0 0\n')).toMatch(/on no network/);
  });

  it('never breaks on what a board prints, and never gives a level that no radio has (fast-check, 2000 runs)', () => {
    const word = fc.constantFrom(
      'interface=',
      'iw=',
      '\tSSID: ',
      '\tsignal: ',
      ' dBm',
      'nm=',
      ':',
      '\\',
      'level=',
      '\n',
      '-58',
      '2437',
      ' MHz',
      '\\x00',
    );
    fc.assert(
      fc.property(fc.array(fc.oneof(word, fc.string()), { maxLength: 60 }), (parts) => {
        const heard = told(parts.join(''), ['2.4 GHz']);
        if (typeof heard === 'string') return heard.length > 0;
        return heard.dbm !== null && heard.dbm < 0 && heard.dbm >= -150 && heard.networkId === BENCH;
      }),
      { numRuns: 2000 },
    );
  });

  it('is asked for in words that a shell takes, also where there is no radio', () => {
    const { status, stdout, stderr } = spawnSync('sh', ['-c', signalQuestion], { encoding: 'utf8' });
    expect([status, stderr]).toEqual([0, '']);
    expect(readBoardSignal(stdout).length).toBe((stdout.match(/^interface=/gm) ?? []).length);
  });
});

describe('spots', () => {
  it('are told by their newest reading, with the range of all, in the order of the walk', () => {
    const spots = spotsOf([
      reading('Sluice', '5 GHz', null),
      reading('Tank hall', '2.4 GHz', -60),
      reading('Sluice', '2.4 GHz', -70),
      reading('Sluice', '2.4 GHz', -80),
      reading('Sluice', '2.4 GHz', -72),
    ]);
    expect(
      spots.map(({ place, latest, strength, count, range }) => [
        place,
        latest.band,
        latest.dbm,
        strength,
        count,
        range?.low,
        range?.high,
      ]),
    ).toEqual([
      ['Sluice', '2.4 GHz', -72, 'fair', 3, -80, -70],
      ['Sluice', '5 GHz', null, 'none', 1, undefined, undefined],
      ['Tank hall', '2.4 GHz', -60, 'sound', 1, -60, -60],
    ]);
  });
});

describe('what boards can expect at a place', () => {
  const narrow = { bands: ['2.4 GHz'] as WifiBand[], count: 10 };
  const wide = { bands: ['2.4 GHz', '5 GHz'] as WifiBand[], count: 2 };
  const planned = new Set([BENCH, SITE]);
  const at = (...readings: Reading[]) => expectations(spotsOf(readings), [narrow, wide], planned);

  it('goes by the bands of their radios: what only the other band carries helps them nothing', () => {
    const [ten, two] = at(reading('Sluice', '2.4 GHz', -82), reading('Sluice', '5 GHz', -55));
    expect([ten?.strength, two?.strength]).toEqual(['weak', 'sound']);
    expect(ten?.text).toBe(
      'Expect trouble: −82 dBm on 2.4 GHz from “Bench”. Move the access point or the board, or give it another antenna, and walk there again.',
    );
    expect([boardsWith(ten!, 12), boardsWith(two!, 12), boardsWith(wide, 2)]).toEqual([
      '10 boards with 2.4 GHz',
      '2 boards with 2.4 GHz and 5 GHz',
      'all 2 boards',
    ]);
  });

  it('is the strongest network of the plan, and nothing that is not in it', () => {
    const other = { networkId: SITE, network: 'Site' };
    expect(
      at(reading('Sluice', '2.4 GHz', -82), reading('Sluice', '2.4 GHz', -66, other))[0]?.best?.latest
        .network,
    ).toBe('Site');
    const foreign = { networkId: '44444444-4444-4444-8444-444444444444' };
    expect(at(reading('Sluice', '2.4 GHz', -40, foreign))[0]).toMatchObject({ strength: 'unknown' });
  });

  it('is not known where nobody listened on their bands, and "not heard" where somebody did', () => {
    expect(at(reading('Sluice', '5 GHz', -40))[0]).toMatchObject({
      strength: 'unknown',
      text: 'Nobody listened there on 2.4 GHz yet.',
    });
    expect(at(reading('Sluice', '2.4 GHz', null))[0]).toMatchObject({
      strength: 'none',
      text: 'Not heard there on 2.4 GHz.',
    });
  });

  it('never promises more than the strongest reading that a board can hear (fast-check)', () => {
    const band = fc.constantFrom(...WifiBandSchema.options);
    const bands = fc.subarray([...WifiBandSchema.options]);
    fc.assert(
      fc.property(
        fc.array(fc.tuple(band, fc.option(fc.integer({ min: -100, max: -30 })))),
        bands,
        (levels, has) => {
          const readings = levels.map(([one, dbm]) => reading('Sluice', one, dbm));
          const [only] = expectations(spotsOf(readings), [{ bands: has, count: 1 }], planned);
          const newest = has.flatMap((one) => readings.filter((each) => each.band === one).at(-1) ?? []);
          const heard = newest.flatMap(({ dbm }) => dbm ?? []);
          const strength =
            newest.length === 0 ? 'unknown' : strengthOf(heard.length === 0 ? null : Math.max(...heard));
          expect(only?.strength).toBe(strength);
        },
      ),
    );
  });
});

describe('boards by the bands of their radios', () => {
  it('are counted, those without a profile among them as if they heard everything', () => {
    const plan = soundPlan(5);
    const narrow = boardProfiles.find(({ wifiBands }) => wifiBands.join() === '2.4 GHz')!;
    const wide = boardProfiles.find(({ wifiBands }) => wifiBands.join() === '2.4 GHz,5 GHz')!;
    const devices = plan.devices.map((device, at) => ({
      ...device,
      overrides: { boardProfileId: [narrow.id, narrow.id, narrow.id, wide.id, 'gone'][at] },
    }));
    expect(boardsByBands({ ...plan, devices }, boardProfiles)).toEqual([
      { bands: ['2.4 GHz'], count: 3 },
      { bands: ['2.4 GHz', '5 GHz'], count: 1 },
      { bands: ['2.4 GHz', '5 GHz', '6 GHz'], count: 1 },
    ]);
  });
});

describe('a walk in the record', () => {
  const plan = soundPlan(2);
  const facts = {
    plan,
    names: { board: () => 'x', image: () => 'x', network: () => 'x' },
    images: [],
    histories: new Map(),
    walk: walked(
      [reading('Sluice', '2.4 GHz', -82)],
      [{ bands: ['2.4 GHz'] as const, count: 2 }],
      new Set([BENCH]),
    ),
    log: [],
    madeAt: 0,
    madeBy: 'mara',
  };

  it('stands there with what it means, and not at all where nobody walked', () => {
    const section = batchRecord(facts, null).sections.find(({ title }) => title.startsWith('Signal'));
    expect(section?.parts).toMatchObject([
      { rows: [['Sluice', 'Bench', '2.4 GHz', '−82 dBm', 'wlan1', expect.any(String)]] },
      { rows: [['Sluice', 'all 2 boards', expect.stringMatching(/^Expect trouble: −82 dBm/)]] },
    ]);
    const titles = batchRecord({ ...facts, walk: [] }, null).sections.map(({ title }) => title);
    expect(titles.some((title) => title.startsWith('Signal'))).toBe(false);
  });
});
