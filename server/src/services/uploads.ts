import { randomUUID } from 'node:crypto';
import { constants } from 'node:fs';
import { mkdir, open, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { bothSizes, type BeginUpload, type Image, type Upload } from '@nest-mark/core';
import type { StoredUpload } from '../db/uploads';
import { Problem } from '../http/problems';
import type { Context } from './context';
import { publishedFor, takeImage } from './images';

const folderOf = (context: Context): string => join(context.dataFolder, 'uploads');

/** The file in which an upload gathers. @param id of the upload, never a path from outside */
export const uploadFile = (context: Context, id: string): string => join(folderOf(context), `${id}.part`);

const receivedOf = async (context: Context, id: string): Promise<number> =>
  (await stat(uploadFile(context, id)).catch(() => null))?.size ?? 0;

const view = async (context: Context, { id, name, size }: StoredUpload): Promise<Upload> => ({
  id,
  name,
  size,
  received: await receivedOf(context, id),
  image: null,
});

export const listUploads = async (context: Context): Promise<Upload[]> =>
  Promise.all((await context.uploads.list()).map((upload) => view(context, upload)));

/**
 * Begins an upload, or finds the one of the same file that was broken off.
 * @throws Problem when the published digest is none, or the disk has no room for the file
 */
export async function beginUpload(context: Context, wish: BeginUpload): Promise<Upload> {
  const published = publishedFor(wish.sha256, wish.name);
  const title = wish.title || wish.name;
  const folder = folderOf(context);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const { bavail, bsize } = await statfs(folder);
  const { name, size, modified } = wish;
  const begun = await context.knex.transaction(async (db) => {
    // Of two who begin with one file at once the second one goes on where the first one is.
    await context.uploads.lockBeginning(db);
    const known = await context.uploads.same(wish, db);
    if (known) {
      await context.uploads.setWishes(known.id, title, published, db);
      return view(context, known);
    }
    if (bavail * bsize < size)
      throw new Problem(
        507,
        'disk-full',
        `There is not enough room for uploads: the file has ${bothSizes(size)}, the disk ${bothSizes(bavail * bsize)} free. Nothing was sent. Make room and send it again.`,
      );
    const upload: StoredUpload = { id: randomUUID(), name, size, modified, title, published };
    await context.uploads.create(upload, db);
    return view(context, upload);
  });
  if (begun.received < begun.size) return begun;
  // It had arrived whole, and the program stopped before it became an image.
  return inOrder(begun.id, async () => ({
    ...begun,
    image: await becomeImage(context, begun.id, title, published),
  }));
}

const becomeImage = (context: Context, id: string, title: string, published: string): Promise<Image> =>
  takeImage(context, { path: uploadFile(context, id), title, published, uploadId: id });

/** Pieces of one file come one after the other, whoever sends them. */
const queues = new Map<string, Promise<unknown>>();

async function inOrder<T>(id: string, work: () => Promise<T>): Promise<T> {
  const before = queues.get(id) ?? Promise.resolve();
  const now = before.then(work, work);
  queues.set(id, now);
  try {
    return await now;
  } finally {
    if (queues.get(id) === now) queues.delete(id);
  }
}

async function needUpload(context: Context, id: string): Promise<StoredUpload> {
  const upload = await context.uploads.find(id);
  if (!upload)
    throw new Problem(404, 'upload-missing', 'This upload is not known any more. Choose the file again.');
  return upload;
}

/**
 * Adds the next piece of a file; with the last one it becomes an image.
 * @param offset where the piece begins; it must be where the last one ended
 * @throws Problem when it is not, or the piece reaches beyond the file
 */
export const addPiece = (context: Context, id: string, offset: number, piece: Buffer): Promise<Upload> =>
  inOrder(id, () => addNext(context, id, offset, piece));

async function addNext(context: Context, id: string, offset: number, piece: Buffer): Promise<Upload> {
  const upload = await needUpload(context, id);
  const received = await receivedOf(context, id);
  if (offset !== received)
    throw new Problem(
      409,
      'upload-place',
      `The next piece begins at byte ${String(received)}, not at ${String(offset)}. Nothing was lost; go on from there.`,
    );
  if (offset + piece.length > upload.size)
    throw new Problem(
      422,
      'upload-long',
      'The piece reaches beyond the end of the file. Choose the file again.',
    );
  const path = uploadFile(context, id);
  if (piece.length > 0) await append(path, received, piece);
  const now = { ...(await view(context, upload)), received: received + piece.length };
  if (now.received < upload.size) return now;
  return { ...now, image: await becomeImage(context, id, upload.title, upload.published) };
}

async function append(path: string, received: number, piece: Buffer): Promise<void> {
  const flags = constants.O_WRONLY | constants.O_CREAT | constants.O_APPEND | constants.O_NOFOLLOW;
  const file = await open(path, flags, 0o600);
  try {
    await file.appendFile(piece);
  } catch (error) {
    // Half a piece would be taken for a whole one.
    await file.truncate(received);
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      throw new Problem(
        507,
        'disk-full',
        'The disk that uploads gather on is full. Make room, then go on; what was sent is kept.',
      );
    throw error;
  } finally {
    await file.close();
  }
}

/** Forgets an upload and what has arrived of it. */
export const dropUpload = (context: Context, id: string): Promise<void> =>
  inOrder(id, async () => {
    await needUpload(context, id);
    // Whoever removed the row owns the file: with the last piece it belongs to an image.
    if (await context.uploads.remove(id)) await rm(uploadFile(context, id), { force: true });
  });
