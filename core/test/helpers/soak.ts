/** How much of a random harness runs: a part of it in `npm test`, all of it in `npm run soak`, or as much as is asked. */
export interface Amount {
  runs: number;
  /** By which a run can be repeated. */
  seed: number;
  /** Counts one more, and tells a soak how far it is. */
  step: () => void;
}

/** Milliseconds between two words about how far a soak is. */
const TELL_EVERY = 2000;

/** Whether this is a soak: what costs much and finds seldom is left to it. */
export const soaking = process.env['NEST_MARK_SOAK'] === '1';

/** Whether what takes long runs: by `npm test -- --rest` and `--long`, and in a soak. */
export const withLong = soaking || process.env['NEST_MARK_LONG'] === '1';

/** A count that is as large as on a bench where what takes long runs too, and otherwise as small as shows the same. */
export const many = (few: number, all: number): number => (withLong ? all : few);

/** Of a table of cases of one kind some that stand for it, or all of them where what takes long runs too. */
export const some = <T>(all: readonly T[], stands: (one: T, at: number) => boolean): readonly T[] =>
  withLong ? all : all.filter(stands);

/** @param name as `npm run soak` lists it */
export function amount(name: string, inTest: number, inSoak: number, usualSeed: number): Amount {
  const runs = Number(process.env['NEST_MARK_RUNS'] ?? (soaking ? inSoak : inTest));
  const seed = Number(process.env['NEST_MARK_SEED'] ?? usualSeed);
  let done = 0;
  let told = 0;
  const step = (): void => {
    done++;
    if (!soaking || (Date.now() - told < TELL_EVERY && done < runs)) return;
    told = Date.now();
    process.stderr.write(`  ${name}: ${String(done)} of ${String(runs)} (seed ${String(seed)})\n`);
  };
  return { runs, seed, step };
}
