import * as fc from 'fast-check';
import { arrivalsOf, outOfTen } from '../src/boards/arrivals';
import { bootWait, deviceStanding, type DeviceFacts } from '../src/progress/standing';

/** How long waiting for a first boot is usual and normal; start values are common practice. */

const sorted = fc
  .array(fc.integer({ min: 2, max: 3600 }), { maxLength: 200 })
  .map((list) => list.sort((a, b) => a - b));

it('before anything was seen it is as the profile says, and normal until twice that', () => {
  expect(arrivalsOf(60)).toEqual({ usual: 60, normalUntil: 120, seen: 0 });
});

it('what this bench has seen soon counts: a kind that takes three times as long is not late at twice', () => {
  const own = Array.from({ length: 30 }, (_, at) => 170 + at);
  const learnt = arrivalsOf(60, own);
  expect(learnt.usual).toBeGreaterThan(165);
  expect(learnt.usual).toBeLessThan(200);
  expect(learnt.normalUntil).toBeGreaterThan(200);
  const facts: DeviceFacts = {
    stopped: false,
    card: { state: 'verified', share: 1, at: 0 },
    poweredAt: 0,
    seen: null,
    handedOverAt: null,
    firstBootSeconds: 60,
  };
  expect(deviceStanding(facts, 180_000).state).toBe('late');
  expect(deviceStanding({ ...facts, arrivals: own }, 180_000).state).toBe('booting');
  expect(bootWait({ ...facts, arrivals: own }, 185_000)).toMatchObject({ late: false, own: 30, there: 5 });
});

it('and one that is faster is late sooner', () => {
  const own = Array.from({ length: 40 }, (_, at) => 20 + at / 4);
  expect(arrivalsOf(90, own).normalUntil).toBeLessThan(90);
});

it('one slow board among few does not make waiting endless, nor one fast one everybody late (500 benches, seed 93)', () => {
  fc.assert(
    fc.property(fc.integer({ min: 10, max: 600 }), sorted, (profile, own) => {
      const { usual, normalUntil } = arrivalsOf(profile, own);
      const slowest = Math.max(profile * 2, ...own);
      const fastest = Math.min(profile * 0.75, ...own);
      expect(usual).toBeGreaterThanOrEqual(fastest);
      expect(normalUntil).toBeGreaterThanOrEqual(usual * 1.25);
      expect(normalUntil).toBeLessThanOrEqual(slowest * 1.25);
    }),
    { seed: 93, numRuns: 500 },
  );
});

it('of ten, so many are there; nothing is said of fewer than five', () => {
  expect(outOfTen(50, [10, 20, 30, 40])).toBeNull();
  expect(outOfTen(35, [10, 20, 30, 40, 50])).toBe(6);
  expect(outOfTen(9, [10, 20, 30, 40, 50])).toBe(0);
});
