import fc from 'fast-check';
import { shippedBoards } from '../src/boards/profiles';
import { bringUpSeconds, longestFirst, untilLast, type BoardTime } from '../src/forecast/board-time';
import { forecast } from '../src/forecast/forecast';
import { settingsOf } from '../src/plan/effective';
import type { Plan } from '../src/plan/model';
import { kindOf } from '../src/boards/arrivals';
import { imageId, soundPlan } from './helpers/plan';

/** Every way to share pieces out, for the shortest time there is. */
function shortest(seconds: readonly number[], atOnce: number): number {
  let best = Infinity;
  const loads = Array.from({ length: atOnce }, () => 0);
  const place = (at: number): void => {
    const piece = seconds[at];
    if (piece === undefined) {
      best = Math.min(best, Math.max(...loads));
      return;
    }
    for (const lane of loads.keys()) {
      loads[lane]! += piece;
      place(at + 1);
      loads[lane]! -= piece;
    }
  };
  place(0);
  return best;
}

const broughtUp = (count = 12): Plan => {
  const plan = soundPlan(count);
  return { ...plan, bringUp: { ...plan.bringUp, wanted: true, atOnce: 4 } };
};
const kind = (plan: Plan): string => kindOf(plan.boardProfileId, plan.imageId);
const input = (plan: Plan, more: { times?: BoardTime[]; arrivals?: Record<string, number[]> } = {}) => ({
  plan,
  images: [{ id: imageId, rawSize: 120 << 20 }],
  networks: [],
  boards: shippedBoards,
  rates: [],
  ...more,
});

describe('the order in which boards are brought up', () => {
  it('ends within 4/3 of the shortest time there is (Graham 1969), by exhaustive search', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 7 }),
        fc.integer({ min: 1, max: 3 }),
        (seconds, atOnce) => {
          const ordered = longestFirst(seconds, (one) => one);
          expect([...ordered].sort((a, b) => a - b)).toEqual([...seconds].sort((a, b) => a - b));
          const took = untilLast(ordered, atOnce);
          const best = shortest(seconds, atOnce);
          expect(took).toBeGreaterThanOrEqual(best);
          expect(took).toBeLessThanOrEqual(best * (4 / 3 - 1 / (3 * atOnce)) + 1e-9);
        },
      ),
      { numRuns: 150 },
    );
  });

  it('leaves boards that take alike as they are', () => {
    const boards = ['a', 'b', 'c', 'd'];
    expect(longestFirst(boards, () => 60)).toEqual(boards);
    expect(longestFirst(boards, (name) => (name === 'c' ? 90 : 60))).toEqual(['c', 'a', 'b', 'd']);
  });
});

describe('what bringing up takes', () => {
  it('is what such boards took here; before anything was measured the book says it', () => {
    const plan = broughtUp(1);
    const settings = settingsOf(plan, plan.devices[0]!);
    const board = { speed: 0.5 };
    // 300 MB at 50 Mbit/s, then 480 s and a reboot of 40 s on half the speed, and the questions.
    expect(bringUpSeconds(plan, settings, board, [])).toBe(48 + 520 / 0.5 + 10);
    const times = [
      { kind: kind(plan), updated: true, seconds: [100, 300, 200] },
      { kind: kind(plan), updated: false, seconds: [20] },
      { kind: 'other image', updated: true, seconds: [1] },
    ];
    expect(bringUpSeconds(plan, settings, board, times)).toBe(200);
    const without = { ...plan, bringUp: { ...plan.bringUp, without: ['updates'] } };
    expect(bringUpSeconds(without, settings, board, times)).toBe(20);
    expect(bringUpSeconds(without, settings, board, [])).toBe(10);
  });
});

describe('a forecast that learns', () => {
  it('goes by the bring-ups and the boots that this bench has seen, and says so', () => {
    const plan = broughtUp();
    const book = forecast(input(plan), 1);
    const learnt = forecast(
      input(plan, {
        times: [{ kind: kind(plan), updated: true, seconds: [90, 100, 110] }],
        arrivals: { [kind(plan)]: Array.from({ length: 30 }, () => 20) },
      }),
      1,
    );
    expect(learnt.finish.middle).toBeLessThan(book.finish.middle);
    const spans = (step: string) => learnt.run.spans.filter((span) => span.step === step);
    expect(spans('bring up').map(({ from, to }) => Math.round(to - from))).toEqual(
      Array.from({ length: 12 }, () => 100),
    );
    expect(spans('boot').every(({ from, to }) => Math.round(to - from) === 20)).toBe(true);
    expect(spans('update')).toEqual([]);
    const source = (of: typeof book, title: string): string =>
      of.basis.find((basis) => basis.title === title)?.source ?? '';
    expect(source(learnt, 'Bringing up')).toBe('measured here on 3 boards');
    expect(source(learnt, 'First boot')).toBe('board profile, and 30 boots seen here');
    expect(source(book, 'Bringing up')).toBe('book values, nothing measured yet');
    // Who wants book values gets them.
    const own = { ...plan, bench: { ...plan.bench, useMeasured: false } };
    const times = [{ kind: kind(plan), updated: true, seconds: [90] }];
    expect(forecast(input(own, { times }), 1).finish).toEqual(book.finish);
  });

  it('has no more boards at once than the plan says, and others wait for them', () => {
    const plan = broughtUp();
    const times = [{ kind: kind(plan), updated: true, seconds: [600] }];
    const { run } = forecast(input(plan, { times }), 1);
    const spans = run.spans.filter(({ step }) => step === 'bring up');
    for (const { from } of spans)
      expect(spans.filter((other) => other.from <= from && from < other.to).length).toBeLessThanOrEqual(4);
    expect(run.waited.get('login') ?? 0).toBeGreaterThan(0);
  });
});
