import { randomUUID } from 'node:crypto';
import { constants } from 'node:fs';
import { mkdir, open, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import pLimit, { type LimitFunction } from 'p-limit';
import { bothSizes, type BeginUpload, type Image, type Upload } from '@nest-mark/core';
import type { StoredUpload } from './upload-repository';
import { problem } from '../platform/http/problems';
import type { Images } from './domain';
import { publishedFor, takeImage } from './images';

const folderOf = ({ folder }: Pick<Images, 'folder'>): string => join(folder, 'uploads');

/** The file in which an upload gathers. @param id of the upload, never a path from outside */
export const uploadFile = (images: Images, id: string): string => join(folderOf(images), `${id}.part`);

const receivedOf = async (images: Images, id: string): Promise<number> =>
  (await stat(uploadFile(images, id)).catch(() => null))?.size ?? 0;

const view = async (images: Images, { id, name, size }: StoredUpload): Promise<Upload> => ({
  id,
  name,
  size,
  received: await receivedOf(images, id),
  image: null,
});

export const listUploads = async (images: Images): Promise<Upload[]> =>
  Promise.all((await images.uploads.list()).map((upload) => view(images, upload)));

/**
 * Begins an upload, or finds the one of the same file that was broken off.
 * @throws Problem when the published digest is none, or the disk has no room for the file
 */
export async function beginUpload(images: Images, wish: BeginUpload): Promise<Upload> {
  const published = publishedFor(wish.sha256, wish.name);
  const title = wish.title || wish.name;
  const folder = folderOf(images);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const { bavail, bsize } = await statfs(folder);
  const { name, size, modified } = wish;
  const begun = await images.knex.transaction(async (db) => {
    // Of two who begin with one file at once the second one goes on where the first one is.
    await images.uploads.lockBeginning(db);
    const known = await images.uploads.same(wish, db);
    if (known) {
      await images.uploads.setWishes(known.id, title, published, db);
      return view(images, known);
    }
    if (bavail * bsize < size)
      throw problem('upload-no-room', { size: bothSizes(size), free: bothSizes(bavail * bsize) });
    const upload: StoredUpload = { id: randomUUID(), name, size, modified, title, published };
    await images.uploads.create(upload, db);
    return view(images, upload);
  });
  if (begun.received < begun.size) return begun;
  // It had arrived whole, and the program stopped before it became an image.
  return inOrder(begun.id, async () => ({
    ...begun,
    image: await becomeImage(images, begun.id, title, published),
  }));
}

const becomeImage = (images: Images, id: string, title: string, published: string): Promise<Image> =>
  takeImage(images, {
    path: uploadFile(images, id),
    title,
    published,
    uploadId: id,
    begunBy: 'the browser that sent the file',
  });

/** Pieces of one file come one after the other, whoever sends them. */
const queues = new Map<string, LimitFunction>();

async function inOrder<T>(id: string, work: () => Promise<T>): Promise<T> {
  const queue = queues.get(id) ?? pLimit(1);
  queues.set(id, queue);
  try {
    return await queue(work);
  } finally {
    if (queue.activeCount + queue.pendingCount === 0) queues.delete(id);
  }
}

async function needUpload(images: Images, id: string): Promise<StoredUpload> {
  const upload = await images.uploads.find(id);
  if (!upload) throw problem('upload-missing');
  return upload;
}

/**
 * Adds the next piece of a file; with the last one it becomes an image.
 * @param offset where the piece begins; it must be where the last one ended
 * @throws Problem when it is not, or the piece reaches beyond the file
 */
export const addPiece = (images: Images, id: string, offset: number, piece: Buffer): Promise<Upload> =>
  inOrder(id, () => addNext(images, id, offset, piece));

async function addNext(images: Images, id: string, offset: number, piece: Buffer): Promise<Upload> {
  const upload = await needUpload(images, id);
  const received = await receivedOf(images, id);
  if (offset !== received)
    throw problem('upload-place', { received: String(received), offset: String(offset) });
  if (offset + piece.length > upload.size) throw problem('upload-long');
  const path = uploadFile(images, id);
  if (piece.length > 0) await append(path, received, piece);
  const now = { ...(await view(images, upload)), received: received + piece.length };
  if (now.received < upload.size) return now;
  return { ...now, image: await becomeImage(images, id, upload.title, upload.published) };
}

async function append(path: string, received: number, piece: Buffer): Promise<void> {
  const flags = constants.O_WRONLY | constants.O_CREAT | constants.O_APPEND | constants.O_NOFOLLOW;
  const file = await open(path, flags, 0o600);
  try {
    await file.appendFile(piece);
  } catch (error) {
    // Half a piece would be taken for a whole one.
    await file.truncate(received);
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw problem('upload-disk-full');
    throw error;
  } finally {
    await file.close();
  }
}

/** Forgets an upload and what has arrived of it. */
export const dropUpload = (images: Images, id: string): Promise<void> =>
  inOrder(id, async () => {
    await needUpload(images, id);
    // Whoever removed the row owns the file: with the last piece it belongs to an image.
    if (await images.uploads.remove(id)) await rm(uploadFile(images, id), { force: true });
  });
