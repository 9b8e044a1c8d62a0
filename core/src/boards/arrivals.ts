/** How long boards of a kind take to their first proof after power-on: what is common, and what this bench has seen. */

/** What is known of a kind's first boots. Times are seconds. */
export interface Arrivals {
  /** Half of them are there by then. */
  usual: number;
  /** Until then waiting is normal. */
  normalUntil: number;
  /** How many this bench has seen. */
  seen: number;
}

/**
 * Before anything was seen: five boots around what the profile says, the slowest twice as long (common practice: people
 * give up too early). Own ones soon outnumber them.
 */
const start = [0.75, 0.9, 1, 1.35, 2];

/** Share of boots that ends before waiting stops being normal. */
const NORMAL = 0.9;
/** What is added, since the slowest of few was not the slowest of all. */
const SPARE = 1.2;

/** The value below which a share of sorted values lies (nearest rank). */
const rank = (sorted: readonly number[], share: number): number =>
  sorted[Math.min(sorted.length - 1, Math.max(0, Math.ceil(share * sorted.length) - 1))] ?? 0;

const withStart = (profileSeconds: number, own: readonly number[]): number[] =>
  [...start.map((times) => times * profileSeconds), ...own].sort((a, b) => a - b);

/**
 * @param profileSeconds of a usual first boot, as the board's profile has it
 * @param own seconds from power-on to proof that were seen of such boards
 */
export function arrivalsOf(profileSeconds: number, own: readonly number[] = []): Arrivals {
  if (own.length === 0)
    return { usual: profileSeconds, normalUntil: profileSeconds * (start.at(-1) ?? 2), seen: 0 };
  const all = withStart(profileSeconds, own);
  const usual = rank(all, 0.5);
  return { usual, normalUntil: Math.max(rank(all, NORMAL) * SPARE, usual * 1.25), seen: own.length };
}

/** Of ten such boards, how many are there after a time; null before this bench has seen enough to say. */
export function outOfTen(waited: number, own: readonly number[]): number | null {
  if (own.length < 5) return null;
  return Math.round((own.filter((one) => one <= waited).length / own.length) * 10);
}

/** What boards are of one kind for that: those with the same profile and image. */
export const kindOf = (boardProfileId: string, imageId: string | null): string =>
  `${boardProfileId} ${imageId ?? ''}`;
