import { airProblems } from './air';
import { bringUpProblems } from './bring-up';
import { browserProblems } from './browser';
import { cardProblems } from './cards';
import { statusTitles, type ProblemEntry } from './entry';
import { fieldProblems } from './field';
import { findingProblems } from './finding';
import { generalProblems } from './general';
import { handOverProblems } from './handover';
import { imageProblems } from './images';
import { moveProblems } from './moves';
import { planProblems } from './plans';
import { practiceProblems } from './practice';
import { roundProblems } from './rounds';
import { signalProblems } from './signal';
import { boardProblems, methodProblems, networkProblems } from './shelves';

export * from './entry';

/** The catalogue by domain, with what a reader of docs/errors.md calls it. */
export const problemDomains = {
  'Any request': generalProblems,
  'In the browser': browserProblems,
  Plans: planProblems,
  Networks: networkProblems,
  'The air': airProblems,
  'Signal at places': signalProblems,
  'Board profiles': boardProblems,
  'First-boot methods': methodProblems,
  Images: imageProblems,
  Cards: cardProblems,
  Rounds: roundProblems,
  Finding: findingProblems,
  'Bring up': bringUpProblems,
  Moves: moveProblems,
  Field: fieldProblems,
  'Hand over': handOverProblems,
  'Practice bench': practiceProblems,
} as const;

/** Every problem that this program tells anybody, by its stable code. */
export const problems = {
  ...generalProblems,
  ...browserProblems,
  ...planProblems,
  ...networkProblems,
  ...airProblems,
  ...signalProblems,
  ...boardProblems,
  ...methodProblems,
  ...imageProblems,
  ...cardProblems,
  ...roundProblems,
  ...findingProblems,
  ...bringUpProblems,
  ...moveProblems,
  ...fieldProblems,
  ...handOverProblems,
  ...practiceProblems,
} as const;

export type ProblemCode = keyof typeof problems;

/** Every code, in the catalogue's order. */
export const problemCodes = Object.keys(problems) as ProblemCode[];

/** The catalogue's entry for a code from outside; undefined for one that it does not have. */
export const problemEntry = (code: string): ProblemEntry | undefined =>
  Object.hasOwn(problems, code) ? problems[code as ProblemCode] : undefined;

type PlacesIn<Text extends string> = Text extends `${string}{${infer Name}}${infer Rest}`
  ? Name | PlacesIn<Rest>
  : never;

type TextsOf<Code extends ProblemCode> =
  | (typeof problems)[Code]['unharmed']
  | (typeof problems)[Code]['says']
  | (typeof problems)[Code]['todo'];

/** What has to be filled in for a code: nothing, or one object with its places. */
export type ProblemValues<Code extends ProblemCode> = [PlacesIn<TextsOf<Code>>] extends [never]
  ? []
  : [values: Record<PlacesIn<TextsOf<Code>>, string>];

const fill = (text: string, values: Readonly<Record<string, string>>): string =>
  // One pass: what a person typed may hold braces too.
  text.replace(/\{(\w+)\}/g, (_place, name: string) => values[name] ?? '');

/** A problem in whole sentences: what was not harmed, what is wrong, what to do. */
export function problemText<Code extends ProblemCode>(code: Code, ...filled: ProblemValues<Code>): string {
  const { unharmed, says, todo } = problems[code];
  const values: Readonly<Record<string, string>> = filled[0] ?? {};
  return [unharmed, says, todo]
    .map((text) => fill(text, values))
    .filter((text) => text !== '')
    .join(' ');
}

/** The heading of a problem's kind. */
export const problemTitle = (code: ProblemCode): string => statusTitles[problems[code].status];
