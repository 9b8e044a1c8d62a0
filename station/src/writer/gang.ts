import { writerBlocks, writerBounds } from '@nest-mark/core';
import type { BaseImage } from '../image/base-image';
import { BlockPool } from './block-pool';
import { CardRun, type CardOutcome, type GangCard, type GangTerms, type Phase } from './card-run';
import { blockDigest } from './digest';
import { PauseSwitch } from './pause';
import { SharedFeed } from './shared-feed';

export interface GangOptions {
  signal?: AbortSignal;
  pause?: PauseSwitch;
  /** Called for each card as it goes on; `done` and `total` in octets. */
  onProgress?: (cardId: string, phase: Phase, done: number, total: number) => void;
  /** Called once for each card as soon as its end is known. */
  onOutcome?: (cardId: string, outcome: CardOutcome) => void;
  /** Writes or reads under way for each card, 1 to 4. */
  inFlight?: number;
  /** Blocks of the image that are kept in memory for all cards, 4 to 64. */
  keepBlocks?: number;
  /** Milliseconds without an answer after which a card is given up. */
  stallMs?: number;
}

const bounded = (value: number | undefined, bound: { least: number; most: number; usual: number }): number =>
  Math.min(bound.most, Math.max(bound.least, Math.round(value ?? bound.usual)));

/**
 * Writes one image to several cards at once, each with its own patches, and reads every block back.
 *
 * The base is read once for all that keep up; a slow card reads on from the shelf by itself. A card's first block
 * is emptied before anything else and written last, after all the others were verified, so an interrupted card
 * never looks finished. A card that fails leaves the gang with its reason; the others go on. The cards' handles are
 * closed as they end.
 * @returns how each card ended, by its id
 */
export async function writeGang(
  base: BaseImage,
  cards: readonly GangCard[],
  options: GangOptions = {},
): Promise<Map<string, CardOutcome>> {
  const digest = await blockDigest();
  const inFlight = bounded(options.inFlight, writerBounds.inFlight);
  const keep = bounded(options.keepBlocks, writerBounds.keepBlocks);
  const pool = new BlockPool(base.blockSize, writerBlocks(cards.length, keep, inFlight));
  const feed = new SharedFeed(base, pool, digest, keep);
  const terms: GangTerms = {
    base,
    pool,
    feed,
    digest,
    inFlight,
    stallMs: options.stallMs ?? 30_000,
    pause: options.pause ?? new PauseSwitch(),
    signal: options.signal ?? null,
  };
  const outcomes = await Promise.all(
    cards.map(async (card): Promise<[string, CardOutcome]> => {
      const run = new CardRun(card, terms, (phase, done) => {
        options.onProgress?.(card.id, phase, done, base.size);
      });
      const outcome = await run.go();
      options.onOutcome?.(card.id, outcome);
      return [card.id, outcome];
    }),
  );
  await feed.close();
  return new Map(outcomes);
}
