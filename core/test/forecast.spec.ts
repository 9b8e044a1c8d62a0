import { shippedBoards } from '../src/boards/profiles';
import type { Plan } from '../src/plan/model';
import { forecast, ForecastError, seeded, triangular, type ForecastInput } from '../src/forecast/forecast';
import { pooled, quantile, spread, type MeasuredRate } from '../src/forecast/rates';
import { whatIfs } from '../src/forecast/what-if';
import { imageId, soundNetwork, soundPlan } from './helpers/plan';

const input = (count: number, change: (plan: Plan) => void = () => undefined): ForecastInput => {
  const plan = soundPlan(count);
  // A person logs in and looks.
  plan.bringUp.wanted = false;
  change(plan);
  return {
    plan,
    images: [{ id: imageId, rawSize: 1e9 }],
    networks: [soundNetwork()],
    boards: shippedBoards,
    rates: [],
  };
};
const noUpdate = (plan: Plan): void => {
  plan.bench.update = false;
};

describe('the forecast, worked by hand', () => {
  it('cards: three rounds of four, each swap + write + read back', () => {
    const result = forecast(input(12), 1);
    // 1 GB at 20 MB/s is 50 s, at 25 MB/s (100 shared by four) 40 s; four swaps of 20 s are 80 s.
    expect(result.rounds).toBe(3);
    expect(result.cardsDone.middle).toBeCloseTo(3 * (80 + 50 + 1e9 / 25e6), 6);
  });

  it('the shared reader holds the cards back once it is narrower than they are together', () => {
    const result = forecast(
      input(4, (plan) => (plan.bench.readerMBps = 40)),
      1,
    );
    // Four cards at 10 MB/s each, both ways.
    expect(result.cardsDone.middle).toBeCloseTo(80 + 100 + 100, 6);
  });

  it('one board from start to end, without updates', () => {
    const result = forecast(input(1, noUpdate), 1);
    // One swap 20, write 50, read back at 40 MB/s 25; first boot 120, find 10, check 60, shut down 15.
    expect(result.finish.middle).toBeCloseTo(20 + 50 + 25 + 120 + 10 + 60 + 15, 6);
    expect(result.handsOnSeconds).toBeCloseTo(20 + 60, 6);
    // Where the bench brings it up nobody logs in to look: 10 s, and no hands.
    const brought = forecast(
      input(1, (plan) => {
        noUpdate(plan);
        plan.bringUp.wanted = true;
      }),
      1,
    );
    expect(brought.finish.middle).toBeCloseTo(20 + 50 + 25 + 120 + 10 + 10 + 15, 6);
    expect(brought.handsOnSeconds).toBeCloseTo(20, 6);
  });

  it('updates: the line is shared, the rest goes by the board’s speed', () => {
    const result = forecast(
      input(4, (plan) => {
        plan.boardProfileId = 'full-64-newest';
        plan.bench.hands = 4;
      }),
      1,
    );
    // Round 80 + 50 + 40; boot 75, find 10; 4 × 300 MB over 6.25 MB/s are 192 s; (480 + 40) / 2; check 60, down 15.
    expect(result.finish.middle).toBeCloseTo(170 + 75 + 10 + 192 + 260 + 60 + 15, 6);
  });

  it.each([
    ['powered sockets', 'port', (plan: Plan) => (plan.bench.poweredPorts = 2)],
    [
      'sockets of the supplies',
      'port',
      (plan: Plan) => (plan.power.supplies = [{ id: 's', title: '', count: 1, ports: [3, 3], totalAmps: 6 }]),
    ],
  ])('too few %s make the boards wait', (_name, resource, change) => {
    const wide = forecast(input(8, noUpdate));
    const narrow = forecast(
      input(8, (plan) => {
        noUpdate(plan);
        change(plan);
      }),
    );
    expect(narrow.resources[resource]).toBe(2);
    expect(narrow.finish.middle).toBeGreaterThan(wide.finish.middle);
    expect(narrow.bottleneck?.resource).toBe(resource);
  });

  it('so do a small pool of addresses and an access point that takes few clients', () => {
    const given = input(8, noUpdate);
    const pool = forecast({ ...given, networks: [{ ...soundNetwork(), poolSize: 2 }] });
    const clients = forecast({ ...given, networks: [{ ...soundNetwork(), clientLimit: 2 }] });
    expect(pool.run.end).toBeCloseTo(clients.run.end, 6);
    expect(pool.finish.middle).toBeGreaterThan(forecast(given).finish.middle);
    expect([pool.bottleneck?.resource, clients.bottleneck?.resource]).toEqual(['address', 'client']);
  });

  it('different images are written in rounds of their own', () => {
    const given = input(
      4,
      (plan) => (plan.devices[3]!.overrides = { imageId: '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a19' }),
    );
    given.images = [...given.images, { id: '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a19', rawSize: 2e9 }];
    expect(forecast(given).rounds).toBe(2);
  });

  it('only the cards that are still to be written are counted', () => {
    const given = input(12, noUpdate);
    const left = new Set(given.plan.devices.slice(8).map(({ id }) => id));
    expect(forecast({ ...given, only: left }).rounds).toBe(1);
  });

  it('gives a range around its middle, the same each time', () => {
    const { finish } = forecast(input(12));
    expect(finish.early).toBeLessThan(finish.middle);
    expect(finish.late).toBeGreaterThan(finish.middle * 1.03);
    expect(finish.early).toBeGreaterThan(finish.middle * 0.5);
    expect(forecast(input(12)).finish).toEqual(finish);
  });

  it('says what is missing', () => {
    expect(() => forecast(input(0 + 1, (plan) => (plan.devices = [])))).toThrow('Add devices first');
    expect(() => forecast({ ...input(1), images: [] })).toThrow(ForecastError);
  });
});

describe('what was measured', () => {
  const rate = (write: number, count: number): MeasuredRate => ({
    reader: 'Slot 1',
    cardKind: 'Practice card, 16 GB',
    count,
    write: { low: write * 0.9, middle: write, high: write * 1.1 },
    verify: { low: 4e7, middle: 5e7, high: 6e7 },
  });

  it('replaces the book values, weighted by how many cards stand behind it', () => {
    expect(pooled([rate(1e7, 1), rate(2e7, 3)], 'write')).toMatchObject({ middle: 1.75e7, count: 4 });
    const given = { ...input(1, noUpdate), rates: [rate(1e7, 3)] };
    const result = forecast(given, 1);
    expect(result.cardsDone.middle).toBeCloseTo(20 + 100 + 20, 6);
    expect(result.basis[0]).toMatchObject({ value: '10.0 MB/s', source: 'measured here on 3 cards' });
    given.plan.bench.useMeasured = false;
    expect(forecast(given).basis[0]?.source).toContain('book value');
  });

  it('quantiles are those of R’s type 7', () => {
    // quantile(c(1, 2, 3, 4, 10), c(0.1, 0.5, 0.9)) gives 1.4, 3, 7.6.
    expect(quantile([10, 1, 3, 2, 4], 0.1)).toBeCloseTo(1.4, 9);
    expect(spread([1, 2, 3, 4, 10])).toEqual({ low: 1.4, middle: 3, high: expect.closeTo(7.6, 9) as number });
  });

  it('draws stay within their bounds and are even', () => {
    const random = seeded(7);
    const values = Array.from({ length: 4000 }, () => triangular(2, 3, 7, random()));
    expect(Math.min(...values)).toBeGreaterThanOrEqual(2);
    expect(Math.max(...values)).toBeLessThanOrEqual(7);
    // Mean of a triangular distribution: a third of the sum of its corners.
    expect(values.reduce((sum, value) => sum + value, 0) / values.length).toBeCloseTo(4, 1);
  });
});

describe('what if', () => {
  it('tells what each change saves, the largest first, and what is no use', () => {
    const given = input(12);
    const now = forecast(given);
    const list = whatIfs(given, now, false);
    expect(list.map(({ saved }) => saved)).toEqual([...list.map(({ saved }) => saved)].sort((a, b) => b - a));
    expect(list.find(({ id }) => id === 'no-update')?.saved).toBeGreaterThan(500);
    expect(list.some(({ id }) => id === 'minimal')).toBe(false);
    expect(whatIfs(given, now, true).some(({ id }) => id === 'minimal')).toBe(true);
    // A second reader writes its rounds meanwhile, so it never makes the cards later.
    const two = { ...given, plan: { ...given.plan, bench: { ...given.plan.bench, readers: 2, hands: 2 } } };
    const cards = (it: ForecastInput): number => forecast(it, 1).cardsDone.middle;
    expect(cards(two)).toBeLessThan(cards(given));
  });

  it('offers more sockets only where there are fewer than boards', () => {
    const given = input(8, (plan) => (plan.bench.poweredPorts = 2));
    const ids = (it: ForecastInput): string[] => whatIfs(it, forecast(it), false).map(({ id }) => id);
    expect(ids(given)).toContain('supply');
    expect(ids(input(8))).not.toContain('supply');
  });
});
