import { basename } from 'node:path';
import {
  checkCard,
  DiskError,
  packBootFiles,
  readBootFiles,
  unpackBootFiles,
  type BootFiles,
  type CardComparison,
  type SentBootFiles,
  type SlotCheck,
} from '@nest-mark/core';
import { FileSource, ImageError, packingOf } from '@nest-mark/station';
import { problem, Problem } from '../platform/http/problems';
import { compareWithPlan, knownPaths, tellCheck } from './compare';
import { record } from '../platform/log/record';
import type { Cards } from './domain';

/** Reads the image of a card by its path on this machine. @throws Problem when there is none, or it is no disk */
async function imageFiles(cards: Cards, path: string): Promise<BootFiles> {
  let file: FileSource | null = null;
  try {
    const packing = await packingOf(path);
    if (packing !== 'raw') throw problem('image-packed', { packing });
    file = await FileSource.open(path);
    return await readBootFiles(file, await knownPaths(cards));
  } catch (error) {
    if (error instanceof Problem) throw error;
    if (error instanceof DiskError || error instanceof ImageError || error instanceof RangeError)
      throw problem('image-unreadable', { why: error.message });
    throw error;
  } finally {
    await file?.close();
  }
}

/** Says what an image on this machine's own disk would make of a board. @throws Problem */
export const checkPath = async (cards: Cards, path: string): Promise<SlotCheck> =>
  tellCheck(cards, await imageFiles(cards, path));

/** Its first-boot files, secrets and all; that is logged. @throws Problem */
export async function pathFiles(cards: Cards, path: string): Promise<SentBootFiles> {
  const boot = await imageFiles(cards, path);
  await record(cards, {
    kind: 'revealed',
    text: `The first-boot files of ${basename(path)} were read out, with their secrets, to take them into a plan.`,
  });
  return packBootFiles(boot);
}

/** Compares files that the browser read with the plan that they were written for. */
export function compareSent(cards: Cards, sent: SentBootFiles): Promise<CardComparison | null> {
  const boot = unpackBootFiles(sent);
  return compareWithPlan(cards, boot, checkCard(boot).mark);
}
