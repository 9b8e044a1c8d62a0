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
import { Problem } from '../http/problems';
import { compareWithPlan, tellCheck } from './compare-card';
import { record, type Context } from './context';

/** Reads the image of a card by its path on this machine. @throws Problem when there is none, or it is no disk */
async function imageFiles(path: string): Promise<BootFiles> {
  let file: FileSource | null = null;
  try {
    const packing = await packingOf(path);
    if (packing !== 'raw')
      throw new Problem(
        422,
        'image-packed',
        `This file is packed (${packing}). Unpack it first, or put it on the shelf of images.`,
      );
    file = await FileSource.open(path);
    return await readBootFiles(file);
  } catch (error) {
    if (error instanceof Problem) throw error;
    if (error instanceof DiskError || error instanceof ImageError || error instanceof RangeError)
      throw new Problem(422, 'image-unreadable', error.message);
    throw error;
  } finally {
    await file?.close();
  }
}

/** Says what an image on this machine's own disk would make of a board. @throws Problem */
export const checkPath = async (context: Context, path: string): Promise<SlotCheck> =>
  tellCheck(context, await imageFiles(path));

/** Its first-boot files, secrets and all; that is logged. @throws Problem */
export async function pathFiles(context: Context, path: string): Promise<SentBootFiles> {
  const boot = await imageFiles(path);
  await record(context, {
    kind: 'revealed',
    text: `The first-boot files of ${basename(path)} were read out, with their secrets, to take them into a plan.`,
  });
  return packBootFiles(boot);
}

/** Compares files that the browser read with the plan that they were written for. */
export function compareSent(context: Context, sent: SentBootFiles): Promise<CardComparison | null> {
  const boot = unpackBootFiles(sent);
  return compareWithPlan(context, boot, checkCard(boot).mark);
}
