import { createHash } from 'node:crypto';
import { mkdir } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Knex } from 'knex';
import { publishedDigest } from '@nest-mark/core';
import {
  addressName,
  fetchImage,
  forgetFetched,
  ImageError,
  publishedBeside,
  type FetchProgress,
  type Origin,
  type ShelfLimits,
} from '@nest-mark/station';
import type { Images } from './domain';

/** The file in which what an address leads to gathers; the same for the same address, so that it goes on. */
export const fetchedFile = ({ folder }: Pick<Images, 'folder'>, address: string): string =>
  join(folder, 'uploads', `${createHash('sha256').update(address).digest('hex').slice(0, 32)}.part`);

/**
 * Forgets what came from an address, unless it is being fetched anew into the same file by now; under the lock of those
 * who begin, so that nobody does meanwhile.
 */
export async function forgetAddress(images: Images, address: string, db: Knex): Promise<void> {
  await images.uploads.lockBeginning(db);
  if (!(await images.repository.isBeingRead(address, images.station, db)))
    await forgetFetched(fetchedFile(images, address));
}

/** Failures after which what has arrived is of use to a later try. */
const kept = new Set(['stopped', 'broken', 'full']);

/** The digest that an image must have: as pasted, or as published beside it. @throws ImageError when there is none */
async function digestFor(address: string, pasted: string, signal: AbortSignal): Promise<string> {
  if (pasted !== '') return pasted;
  const name = addressName(address);
  const found = publishedDigest(await publishedBeside(address, signal), name);
  if (!found)
    throw new ImageError(
      'digest',
      `No SHA-256 is published beside this file (${name}.sha256 or SHA256SUMS), and none was pasted. An image from the web is taken only with one: paste it, then add the image again.`,
    );
  if ('fault' in found)
    throw new ImageError(
      'digest',
      `The list of digests beside this file does not name ${name}. Paste its line, then add the image again.`,
    );
  return found.digest;
}

export interface Fetched {
  path: string;
  published: string;
  origin: Origin;
}

/**
 * Gets an image from its address; the digest is looked for first, since without one nothing is taken.
 * @throws ImageError
 */
export async function fetchForShelf(
  images: Images,
  address: string,
  pasted: string,
  limits: ShelfLimits,
  signal: AbortSignal,
  onProgress: (progress: FetchProgress) => void,
): Promise<Fetched> {
  const path = fetchedFile(images, address);
  await mkdir(dirname(path), { recursive: true, mode: 0o700 });
  try {
    const published = await digestFor(address, pasted, signal);
    const { largest, leaveFree } = limits;
    return {
      path,
      published,
      origin: await fetchImage(address, path, { largest, leaveFree, signal, onProgress }),
    };
  } catch (error) {
    if (error instanceof ImageError && !kept.has(error.code)) await forgetFetched(path);
    throw error;
  }
}
