import { randomUUID } from 'node:crypto';
import { constants } from 'node:fs';
import { mkdir, open, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { addAbortSignal, type Readable } from 'node:stream';
import { bothSizes, type BeginUpload, type Upload } from '@nest-mark/core';
import type { StoredUpload } from './upload-repository';
import { problem } from '../platform/http/problems';
import type { Images } from './domain';
import { publishedFor, takeImage } from './images';

const folderOf = ({ folder }: Pick<Images, 'folder'>): string => join(folder, 'uploads');

/** The file in which an upload gathers. @param id of the upload, never a path from outside */
export const uploadFile = (images: Images, id: string): string => join(folderOf(images), `${id}.part`);

const receivedOf = async (images: Images, id: string): Promise<number> =>
  (await stat(uploadFile(images, id)).catch(() => null))?.size ?? 0;

export const listUploads = async (images: Images): Promise<Upload[]> =>
  Promise.all(
    (await images.uploads.list()).map(async ({ id, name, size }) => ({
      id,
      name,
      size,
      received: await receivedOf(images, id),
    })),
  );

/**
 * Begins an upload, or finds the one of the same file that was broken off.
 * @returns its id
 * @throws Problem when the published digest is none, or the disk has no room for the file
 */
export async function beginUpload(images: Images, wish: BeginUpload): Promise<string> {
  const { filename: name, size, modified } = wish;
  const published = publishedFor(wish.sha256, name);
  const title = wish.title || name;
  const folder = folderOf(images);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const { bavail, bsize } = await statfs(folder);
  return images.knex.transaction(async (db) => {
    // Of two who begin with one file at once the second one goes on where the first one is.
    await images.uploads.lockBeginning(db);
    // Images of one name and size are often different ones: what does not tell its time begins anew.
    const known = modified > 0 ? await images.uploads.same({ name, size, modified }, db) : null;
    if (known) {
      await images.uploads.setWishes(known.id, title, published, db);
      return known.id;
    }
    if (bavail * bsize < size)
      throw problem('upload-no-room', { size: bothSizes(size), free: bothSizes(bavail * bsize) });
    const id = randomUUID();
    await images.uploads.create({ id, name, size, modified, title, published }, db);
    return id;
  });
}

async function needUpload(images: Images, id: string): Promise<StoredUpload> {
  const upload = await images.uploads.find(id);
  if (!upload) throw problem('upload-missing');
  return upload;
}

/** Makes an image of a file that has arrived whole. */
async function becomeImage(images: Images, { id, title, published }: StoredUpload): Promise<void> {
  await takeImage(images, {
    path: uploadFile(images, id),
    title,
    published,
    uploadId: id,
    begunBy: 'whoever sent the file',
  });
}

/**
 * How far an upload is. One that had arrived whole when the program or its database stopped becomes its image now.
 * Only for whoever has the upload for himself.
 * @throws Problem when there is none
 */
export async function standOf(
  images: Images,
  id: string,
): Promise<{ upload: StoredUpload; received: number }> {
  const upload = await needUpload(images, id);
  if (upload.imageId !== null) return { upload, received: upload.size };
  const received = await receivedOf(images, id);
  if (received === upload.size) await becomeImage(images, upload);
  return { upload, received };
}

/**
 * Adds what comes to a file, and keeps what came when the line breaks or the program stops; with the last octet it becomes an image. Only for
 * whoever has the upload for himself.
 * @param content no longer than what is missing
 * @param offset where it begins; it must be where the file ends
 * @returns how many octets the file has now
 * @throws Problem when it begins elsewhere, or the disk is full
 */
export async function addOctets(
  images: Images,
  id: string,
  offset: number,
  content: Readable,
): Promise<number> {
  const upload = await needUpload(images, id);
  let received = await receivedOf(images, id);
  if (upload.imageId !== null || offset !== received) throw problem('upload-place');
  const flags = constants.O_WRONLY | constants.O_CREAT | constants.O_APPEND | constants.O_NOFOLLOW;
  const file = await open(uploadFile(images, id), flags, 0o600);
  try {
    for await (const piece of addAbortSignal(images.closing, content) as AsyncIterable<Buffer>) {
      await file.appendFile(piece);
      received += piece.length;
    }
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw problem('upload-disk-full');
    throw error;
  } finally {
    await file.close();
  }
  if (received === upload.size) await becomeImage(images, upload);
  return received;
}

/** Forgets an upload and what has arrived of it. @throws Problem when there is none, or an image came of it */
export async function dropUpload(images: Images, id: string): Promise<void> {
  // Whoever removed the row owns the file: with the last octet it belongs to an image.
  if (!(await images.uploads.remove(id))) throw problem('upload-missing');
  await rm(uploadFile(images, id), { force: true });
}
