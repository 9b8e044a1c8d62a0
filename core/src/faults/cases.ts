import { listed } from '../listed';
import { causes } from './causes';
import { checks, type Check } from './checks';
import { knownOf, type BenchFacts, type BoardFacts, type Symptom } from './evidence';
import type { Answer, CauseId, CheckId, Known } from './model';
import { after, nextCheck, normal, type Advice, type Chances } from './next-check';

/** Chance from which a cause counts as found: it is then mended, and the board tells whether it was right. */
export const SURE = 0.7;

/** Minutes that being asked and answering take by themselves. */
const ASKING = 0.5;

/** Boards that are away for one reason, as far as can be told. */
export interface Case {
  boards: BoardFacts[];
  symptom: Symptom;
  /** What they have in common that others have not, in a sentence; empty for one board. */
  shared: string;
  known: Known[];
}

/** What a person said about a case. */
export interface Said {
  check: CheckId;
  answer: Answer;
}

const signature = ({ symptom, network, image, board }: BoardFacts): string =>
  JSON.stringify([symptom, network?.id ?? 'cable', image.id, board.id]);

/** What all of them have in common and, where others are there, these have not. */
function sharedBy(away: readonly BoardFacts[], proved: readonly BoardFacts[]): string {
  const [first] = away;
  if (!first || away.length < 2) return '';
  const common = (of: (board: BoardFacts) => string | null, words: (value: string) => string): string[] => {
    const value = of(first);
    if (value === null || away.some((board) => of(board) !== value)) return [];
    return proved.some((board) => of(board) === value) ? [] : [words(value)];
  };
  const parts = [
    ...common(
      ({ network }) => network?.name ?? null,
      (name) => `the network “${name}”`,
    ),
    ...common(
      ({ image }) => image.title,
      (title) => `the image “${title}”`,
    ),
    ...common(
      ({ board }) => board.title,
      (title) => `the kind of board “${title}”`,
    ),
    ...common(
      ({ round }) => round,
      () => 'the round in which their cards were written',
    ),
    ...common(
      ({ slot }) => slot,
      (slot) => `the reader’s place ${slot}`,
    ),
  ];
  const what = listed(parts);
  if (what === '') return 'Others that share everything with them are there.';
  return proved.length > 0 ? `They share ${what}; nobody who is there does.` : `They share ${what}.`;
}

/**
 * Missing boards, put together where one reason would explain them: same network, image and kind of board, and the same
 * heard of them. Most boards first.
 */
export function casesOf(boards: readonly BoardFacts[], bench: BenchFacts): Case[] {
  const proved = boards.filter((board) => board.proved);
  const groups = new Map<string, BoardFacts[]>();
  for (const board of boards) {
    if (board.proved) continue;
    const key = signature(board);
    const group = groups.get(key);
    if (group) group.push(board);
    else groups.set(key, [board]);
  }
  return [...groups.values()]
    .sort((a, b) => b.length - a.length)
    .map((away) => ({
      boards: away,
      symptom: away[0]?.symptom ?? 'not looked',
      shared: sharedBy(away, proved),
      known: knownOf(away, proved, bench),
    }));
}

/** Causes and checks that a case can have. */
const possible = (radio: boolean): CauseId[] =>
  (Object.keys(causes) as CauseId[]).filter((id) => radio || !causes[id].radio);

const usable = (radio: boolean, said: readonly Said[]): CheckId[] =>
  (Object.keys(checks) as CheckId[]).filter(
    (id) => (radio || !checks[id].radio) && !said.some(({ check }) => check === id),
  );

/** How far a case is: how probable each cause is, and what to do next. */
export interface JudgedCase {
  /** Most probable first. */
  chances: Chances<CauseId>;
  advice: Advice<CauseId, CheckId>;
}

/**
 * @param said what a person answered; the newest answer to each check
 * @param inVain causes that were mended without success; they are not looked for again
 * @param odds start values, or what this bench has learnt
 */
export function judge(
  { boards, known }: Case,
  said: readonly Said[],
  inVain: readonly CauseId[] = [],
  odds: (cause: CauseId) => number = (cause) => causes[cause].odds,
): JudgedCase {
  const radio = boards[0]?.network != null;
  const left = possible(radio).filter((id) => !inVain.includes(id));
  if (left.length === 0) return { chances: [], advice: { kind: 'open' } };
  let chances = normal(
    left.map((id) => ({ id, odds: known.reduce((weight, { fits }) => weight * fits(id), odds(id)) })),
  );
  for (const { check, answer } of said)
    if (answer !== 'unsure') chances = after(chances, checks[check], answer).chances;
  const open = usable(radio, said).map((id) => ({
    id,
    minutes: ASKING + checks[id].minutes,
    yes: checks[id].yes,
  }));
  return {
    chances: [...chances].sort((a, b) => b.chance - a.chance),
    advice: nextCheck(chances, open, SURE),
  };
}

/** The text of a check for a case. @param text with `{places}` */
export function inCase(text: string, { boards }: Case): string {
  const [board] = boards;
  if (!board) return text;
  const words: Record<string, string> = {
    nest: `${board.nest} (${board.hostName})`,
    name: board.hostName,
    mark: board.mark,
    network: board.network === null ? 'its network' : `“${board.network.name}”`,
    bands: board.board.bands.join(', '),
    country: board.country || 'none',
    bits: `${String(board.image.bits ?? 64)} bit`,
  };
  return text.replace(/\{(\w+)\}/g, (whole, key: string) => words[key] ?? whole);
}

/** Why a check is asked: what it tells apart. */
export function reasonFor(check: Check, chances: Chances<CauseId>): string {
  const live = chances.filter(({ chance }) => chance > 0.02);
  const often = live.filter(({ id }) => check.yes(id) > 0.5);
  const seldom = live.filter(({ id }) => check.yes(id) <= 0.5);
  const few = often.length <= seldom.length ? often : seldom;
  if (few.length === 0) return '';
  const titles = few.slice(0, 3).map(({ id }) => causes[id].title);
  const more = few.length - titles.length;
  return `It tells whether ${titles.join('; or ')}${more > 0 ? `; or ${String(more)} more` : ''}.`;
}

/** Answers that a bench is taken to have had before it had any: its own soon weigh more. */
const START_WEIGHT = 40;

/** How often each cause is met: start values, and what was found here. @param found how often each was the cause */
export function learntOdds(found: ReadonlyMap<CauseId, number>): (cause: CauseId) => number {
  const sum = Object.values(causes).reduce((total, { odds }) => total + odds, 0);
  return (cause) => (causes[cause].odds / sum) * START_WEIGHT + (found.get(cause) ?? 0);
}

/** The answer of somebody who looks well, where this is the cause. */
export const trueAnswer = (check: CheckId, cause: CauseId): 'yes' | 'no' =>
  checks[check].yes(cause) >= 0.5 ? 'yes' : 'no';

/** The checks by which following the advice finds a cause, with true answers; mending in vain is gone on from. */
export function wayTo(one: Case, cause: CauseId, odds?: (cause: CauseId) => number): CheckId[] {
  const said: Said[] = [];
  const inVain: CauseId[] = [];
  for (;;) {
    const { advice } = judge(one, said, inVain, odds);
    if (advice.kind === 'ask') said.push({ check: advice.check, answer: trueAnswer(advice.check, cause) });
    else if (advice.kind === 'found' && advice.cause !== cause) inVain.push(advice.cause);
    else return said.map(({ check }) => check);
  }
}
