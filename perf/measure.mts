/** One line of the report: what was measured, the figure, and what it may at most be. */
export interface Result {
  what: string;
  figure: string;
  bound: string;
}

/** Milliseconds that some work takes. */
export async function timed(work: () => unknown): Promise<number> {
  const begun = performance.now();
  await work();
  return performance.now() - begun;
}

/** The middle of some figures. */
export const median = (figures: readonly number[]): number =>
  [...figures].sort((a, b) => a - b)[Math.floor(figures.length / 2)] ?? 0;

export const seconds = (milliseconds: number): string => `${(milliseconds / 1000).toFixed(2)} s`;
