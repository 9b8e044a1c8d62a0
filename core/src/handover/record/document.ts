/** A document that is read by people: as a page that stands alone, and on paper. Both are made of the same. */

export type Part =
  /** Names and values, a line each. */
  | { kind: 'facts'; facts: readonly (readonly [string, string])[] }
  | { kind: 'table'; columns: readonly string[]; rows: readonly (readonly string[])[] }
  | { kind: 'text'; text: string };

export interface Section {
  /** One or two: how deep it lies. */
  level: 1 | 2;
  title: string;
  parts: readonly Part[];
}

export interface Document {
  title: string;
  /** One sentence under the title. */
  about: string;
  sections: readonly Section[];
}

/** A moment as records have it: by the clock of the whole world, to the second (RFC 3339). */
export const moment = (at: number): string =>
  new Date(at)
    .toISOString()
    .replace('T', ' ')
    .replace(/\.\d+Z$/, ' UTC');
