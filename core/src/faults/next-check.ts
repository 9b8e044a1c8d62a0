import type { Answer, AskedCheck, Weighed } from './model';

/** How probable each cause is; sums to 1. */
export type Chances<C extends string> = readonly { id: C; chance: number }[];

/** A cause below this is not reckoned with when it is asked what is left to do. */
const NEGLIGIBLE = 0.002;
/** Minutes for a cause that no check settles: it is mended on suspicion. */
const ON_SUSPICION = 8;
/** A check that moves no chance by more than this is not worth asking. */
const MOVES = 0.005;

/** Chances from odds. @throws RangeError when nothing is possible */
export function normal<C extends string>(weights: readonly Weighed<C>[]): Chances<C> {
  const sum = weights.reduce((total, { odds }) => total + odds, 0);
  if (!(sum > 0)) throw new RangeError('no cause is possible');
  return weights.map(({ id, odds }) => ({ id, chance: odds / sum }));
}

/** How often an answer is given, and what the chances are after it (Bayes' theorem). */
export function after<C extends string>(
  chances: Chances<C>,
  { yes }: Pick<AskedCheck<C>, 'yes'>,
  answer: Exclude<Answer, 'unsure'>,
): { often: number; chances: Chances<C> } {
  const weights = chances.map(({ id, chance }) => ({
    id,
    odds: chance * (answer === 'yes' ? yes(id) : 1 - yes(id)),
  }));
  const often = weights.reduce((total, { odds }) => total + odds, 0);
  return { often, chances: often > 0 ? normal(weights) : chances };
}

const most = <C extends string>(chances: Chances<C>): number =>
  chances.reduce((best, { chance }) => Math.max(best, chance), 0);

/** The cheapest check after which a cause would count as found, if it is the one. */
function settles<C extends string>(
  { id, chance }: Chances<C>[number],
  chances: Chances<C>,
  checks: readonly AskedCheck<C>[],
  sure: number,
): AskedCheck<C> | undefined {
  let best: AskedCheck<C> | undefined;
  for (const check of checks) {
    const { minutes, yes } = check;
    if (best && minutes >= best.minutes) continue;
    const own = yes(id);
    const fits = own >= 0.5 ? yes : (cause: C): number => 1 - yes(cause);
    const all = chances.reduce((sum, other) => sum + other.chance * fits(other.id), 0);
    if (chance * fits(id) >= sure * all) best = check;
  }
  return best;
}

/**
 * Minutes that finding the cause takes if from here on each is looked at by itself, in the order of chance over
 * minutes. For one fault and sure looks no order of looks is quicker (search theory; the same argument as Smith's rule:
 * W. E. Smith, Naval Research Logistics Quarterly 3, 1956).
 * @param sure chance from which a cause counts as found
 */
export function minutesLeft<C extends string>(
  chances: Chances<C>,
  checks: readonly AskedCheck<C>[],
  sure: number,
): number {
  if (most(chances) >= sure) return 0;
  const live = chances.filter(({ chance }) => chance > NEGLIGIBLE);
  // One look may settle two: of the last two causes it names one or the other.
  const chanceOf = new Map<AskedCheck<C>, number>();
  let open = 0;
  for (const { id, chance } of live) {
    const check = settles({ id, chance }, live, checks, sure);
    if (check) chanceOf.set(check, (chanceOf.get(check) ?? 0) + chance);
    else open += chance;
  }
  const looks = [...chanceOf]
    .map(([{ minutes }, chance]) => ({ minutes, chance }))
    .sort((a, b) => b.chance / b.minutes - a.chance / a.minutes);
  let sum = 0;
  let total = 0;
  for (const { chance, minutes } of looks) {
    sum += minutes;
    total += chance * sum;
  }
  return total + open * (sum + ON_SUSPICION);
}

/** What to do next about a fault. */
export type Advice<C extends string, K extends string> =
  | { kind: 'ask'; check: K }
  /** The cause is as good as known. */
  | { kind: 'found'; cause: C }
  /** Nothing that could be asked would tell more. */
  | { kind: 'open' };

/**
 * The check that leaves least to do, its own minutes included: each is tried in thought, with both answers, and what
 * would be left is reckoned by `minutesLeft`. So a check that looks at one cause is chosen by chance over minutes, and
 * one that halves the causes before it where that is quicker.
 * @param checks those that can still be asked
 * @param sure chance from which a cause counts as found
 */
export function nextCheck<C extends string, K extends string>(
  chances: Chances<C>,
  checks: readonly AskedCheck<C, K>[],
  sure: number,
): Advice<C, K> {
  const found = chances.find(({ chance }) => chance >= sure);
  if (found) return { kind: 'found', cause: found.id };
  let best: { check: K; minutes: number } | null = null;
  for (const check of checks) {
    const others = checks.filter((other) => other !== check);
    const yes = after(chances, check, 'yes');
    const no = after(chances, check, 'no');
    if (!moves(chances, yes.chances) && !moves(chances, no.chances)) continue;
    const minutes =
      check.minutes +
      yes.often * minutesLeft(yes.chances, others, sure) +
      no.often * minutesLeft(no.chances, others, sure);
    if (!best || minutes < best.minutes) best = { check: check.id, minutes };
  }
  return best ? { kind: 'ask', check: best.check } : { kind: 'open' };
}

const moves = <C extends string>(before: Chances<C>, now: Chances<C>): boolean =>
  before.some(({ chance }, at) => Math.abs(chance - (now[at]?.chance ?? 0)) > MOVES);
