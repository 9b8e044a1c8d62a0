import fc from 'fast-check';
import { after, minutesLeft, nextCheck, normal, type AskedCheck, type Chances } from '../src/find';

const SURE = 0.999;

/** Minutes that a way of asking takes on the average until the cause is known, or nothing more can be. */
function minutesOf<C extends string, K extends string>(
  chances: Chances<C>,
  checks: readonly AskedCheck<C, K>[],
  choose: (chances: Chances<C>, checks: readonly AskedCheck<C, K>[]) => K | null,
): number {
  const chosen = choose(chances, checks);
  const check = checks.find(({ id }) => id === chosen);
  if (!check) return 0;
  const rest = checks.filter((other) => other !== check);
  const branch = (answer: 'yes' | 'no'): number => {
    const next = after(chances, check, answer);
    return next.often < 1e-12 ? 0 : next.often * minutesOf(next.chances, rest, choose);
  };
  return check.minutes + branch('yes') + branch('no');
}

const advised = <C extends string, K extends string>(
  chances: Chances<C>,
  checks: readonly AskedCheck<C, K>[],
): K | null => {
  const advice = nextCheck(chances, checks, SURE);
  return advice.kind === 'ask' ? advice.check : null;
};

/** The least that any way takes, by trying every one. */
function least<C extends string, K extends string>(
  chances: Chances<C>,
  checks: readonly AskedCheck<C, K>[],
): number {
  if (chances.some(({ chance }) => chance >= SURE)) return 0;
  let best = Infinity;
  for (const check of checks) {
    const rest = checks.filter((other) => other !== check);
    const both = (['yes', 'no'] as const).map((answer) => after(chances, check, answer));
    // What tells nothing is no way on.
    if (both.some(({ often }) => often < 1e-12)) continue;
    const minutes = both.reduce((sum, next) => sum + next.often * least(next.chances, rest), check.minutes);
    best = Math.min(best, minutes);
  }
  return Number.isFinite(best) ? best : 0;
}

const minutes = fc.integer({ min: 1, max: 20 });
const weight = fc.integer({ min: 1, max: 30 });

describe('the next check', () => {
  it('for one fault and sure looks goes by probability over cost, which no order betters (search theory)', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ odds: weight, minutes }), { minLength: 2, maxLength: 6 }),
        weight,
        (looks, elsewhere) => {
          const causes = looks.map(({ odds }, at) => ({ id: `c${String(at)}`, odds }));
          const chances = normal([...causes, { id: 'unknown', odds: elsewhere }]);
          const checks = looks.map((look, at): AskedCheck => ({
            id: `k${String(at)}`,
            minutes: look.minutes,
            yes: (cause) => (cause === `c${String(at)}` ? 1 : 0),
          }));
          // Each is answered with no, so that the whole order is seen.
          const order: string[] = [];
          let now = chances;
          let open = checks;
          for (let next = advised(now, open); next !== null; next = advised(now, open)) {
            order.push(next);
            const check = open.find(({ id }) => id === next)!;
            now = after(now, check, 'no').chances;
            open = open.filter((other) => other !== check);
          }
          expect(order).toHaveLength(looks.length);
          const ratio = (id: string): number => {
            const at = Number(id.slice(1));
            return looks[at]!.odds / looks[at]!.minutes;
          };
          const ratios = order.map(ratio);
          expect(ratios).toEqual([...ratios].sort((a, b) => b - a));
          // The closed form: each cause costs the sum of the looks up to its own; what is on no list costs them all.
          const total = causes.reduce((sum, { odds }) => sum + odds, elsewhere);
          let spent = 0;
          let closed = 0;
          for (const id of order) {
            const { odds, minutes: own } = looks[Number(id.slice(1))]!;
            spent += own;
            closed += (odds / total) * spent;
          }
          closed += (elsewhere / total) * spent;
          expect(minutesOf(chances, checks, advised)).toBeCloseTo(closed, 9);
          // And no other way is quicker, by trying them all.
          if (looks.length <= 4) expect(least(chances, checks)).toBeCloseTo(closed, 9);
        },
      ),
      { seed: 61, numRuns: 200 },
    );
  });

  it('where looks tell several causes apart, is close to the best way there is, by exhaustive search', () => {
    const ratios: number[] = [];
    fc.assert(
      fc.property(
        fc.array(weight, { minLength: 3, maxLength: 6 }),
        fc.array(fc.record({ minutes, set: fc.integer({ min: 1, max: 62 }) }), {
          minLength: 3,
          maxLength: 6,
        }),
        (odds, looks) => {
          const ids = odds.map((_, at) => `c${String(at)}`);
          const chances = normal(ids.map((id, at) => ({ id, odds: odds[at]! })));
          const checks = looks.map((look, at): AskedCheck => ({
            id: `k${String(at)}`,
            minutes: look.minutes,
            yes: (cause) => (look.set >> Number(cause.slice(1))) & 1,
          }));
          const best = least(chances, checks);
          const ours = minutesOf(chances, checks, advised);
          expect(ours).toBeGreaterThanOrEqual(best - 1e-9);
          if (best > 0) ratios.push(ours / best);
        },
      ),
      { seed: 62, numRuns: 400 },
    );
    const mean = ratios.reduce((sum, ratio) => sum + ratio, 0) / ratios.length;
    const worst = Math.max(...ratios);
    console.log(
      `    ${String(ratios.length)} small cases: ${mean.toFixed(3)} times the least minutes on the average, ${worst.toFixed(2)} at worst`,
    );
    expect(mean).toBeLessThan(1.1);
  });

  it('never asks what tells nothing, and ends', () => {
    const chances = normal([
      { id: 'a', odds: 1 },
      { id: 'b', odds: 1 },
    ]);
    const idle: AskedCheck[] = [{ id: 'idle', minutes: 1, yes: () => 0.5 }];
    expect(nextCheck(chances, idle, 0.9)).toEqual({ kind: 'open' });
    expect(nextCheck(chances, [], 0.9)).toEqual({ kind: 'open' });
    expect(
      nextCheck(
        normal([
          { id: 'a', odds: 9 },
          { id: 'b', odds: 0.5 },
        ]),
        [],
        0.9,
      ),
    ).toEqual({
      kind: 'found',
      cause: 'a',
    });
    expect(() => normal([{ id: 'a', odds: 0 }])).toThrow(RangeError);
  });

  it('an answer that no cause gives changes nothing', () => {
    const chances = normal([{ id: 'a', odds: 1 }]);
    expect(after(chances, { yes: () => 0 }, 'yes')).toEqual({ often: 0, chances });
    expect(minutesLeft(chances, [], 0.9)).toBe(0);
  });
});
