import type { Knex } from 'knex';
import type * as z from 'zod';
import {
  fatPartitions,
  DiskError,
  ImageAboutSchema,
  ownIdOf,
  type SaveImageAboutSchema,
} from '@nest-mark/core';
import { lookOnShelf } from '@nest-mark/station';
import { problem } from '../platform/http/problems';
import type { Images } from './domain';
import { shelfFolder } from './folder';

/** Looks at an image anew, with another partition for its first-boot files. @throws Problem */
async function takePartition(images: Images, id: string, chosen: number | null, db: Knex): Promise<void> {
  const image = await images.repository.lock(id, db);
  if (!image) throw problem('image-missing');
  const { facts, station } = image;
  if (!facts || chosen === ImageAboutSchema.parse(image.about).bootPartition) return;
  if (station !== images.station && station !== '') throw problem('image-elsewhere', { station });
  if (chosen !== null && !fatPartitions(facts.partitions).some(({ number }) => number === chosen))
    throw problem('image-partition', {
      why: `Partition ${String(chosen)} is no FAT partition of this image.`,
    });
  if (await images.inUse(id, db)) throw problem('image-in-use');
  const found = await lookOnShelf(shelfFolder(images, id), facts.partitions, chosen).catch(
    (error: unknown) => {
      if (error instanceof DiskError) throw problem('image-partition', { why: error.message });
      throw error;
    },
  );
  await images.repository.takeBoot(id, found, db);
}

/**
 * Keeps what a person says of an image: of several who say something at once the last one holds, and what follows from a
 * partition is kept together with it.
 * @throws Problem when there is no such image, method or partition, or a round is being written from it
 */
export async function describeImage(
  images: Images,
  id: string,
  { title, about }: z.infer<typeof SaveImageAboutSchema>,
): Promise<void> {
  const own = about.chosenMethod && ownIdOf(about.chosenMethod);
  await images.knex.transaction(async (db) => {
    if (own && !(await images.methods.repository.hold(own, db))) throw problem('method-missing');
    await takePartition(images, id, about.bootPartition, db);
    await images.repository.describe(id, title, about, db);
  });
}
