/** Bounds of what people may set for the writer, and what is used when they do not. */
export const writerBounds = {
  /** Writes or reads under way for each card. */
  inFlight: { least: 1, most: 4, usual: 2 },
  /** Blocks of the image that are kept in memory for all cards of a round. */
  keepBlocks: { least: 4, most: 64, usual: 12 },
} as const;

/** The largest medium that is written unless people raise it, in GB (10^9 octets): backup disks are larger, cards are not. */
export const USUAL_LARGEST_GB = 256;

/**
 * Blocks that the writer needs at most: those that are shared, one that is being read, and for each card what it has
 * under way, one that is being made ready, and one that its patches lie over.
 */
export const writerBlocks = (cards: number, keepBlocks: number, inFlight: number): number =>
  keepBlocks + 1 + cards * (inFlight + 2);
