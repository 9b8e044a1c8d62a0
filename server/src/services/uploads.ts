import { randomUUID } from 'node:crypto';
import { mkdir, open, rm, stat, statfs } from 'node:fs/promises';
import { join } from 'node:path';
import { bothSizes, type BeginUpload, type Upload } from '@nest-mark/core';
import type { StoredUpload } from '../db/uploads';
import { Problem } from '../http/problems';
import type { Context } from './context';
import { publishedFor, takeImage } from './images';

const folderOf = (context: Context): string => join(context.dataFolder, 'uploads');

/** The file in which an upload gathers. */
const uploadFile = (context: Context, id: string): string => join(folderOf(context), `${id}.part`);

/** Whether an image came by an upload, so that its file is ours to remove. */
export const isUpload = (context: Context, path: string): boolean => path.startsWith(`${folderOf(context)}/`);

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
  const known = await context.uploads.same(wish);
  if (known) {
    await context.uploads.setWishes(known.id, title, published);
    return view(context, known);
  }
  const folder = folderOf(context);
  await mkdir(folder, { recursive: true });
  const { bavail, bsize } = await statfs(folder);
  if (bavail * bsize < wish.size)
    throw new Problem(
      507,
      'disk-full',
      `There is not enough room: the file has ${bothSizes(wish.size)}, the disk ${bothSizes(bavail * bsize)} free. Make room and send it again.`,
    );
  const { name, size, modified } = wish;
  const upload: StoredUpload = { id: randomUUID(), name, size, modified, title, published };
  await context.uploads.create(upload);
  return view(context, upload);
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
export async function addPiece(context: Context, id: string, offset: number, piece: Buffer): Promise<Upload> {
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
  const file = await open(uploadFile(context, id), 'a');
  try {
    await file.appendFile(piece);
  } catch (error) {
    // Half a piece would be taken for a whole one.
    await file.truncate(received);
    if ((error as NodeJS.ErrnoException).code === 'ENOSPC')
      throw new Problem(507, 'disk-full', 'The disk is full. Make room, then go on; what was sent is kept.');
    throw error;
  } finally {
    await file.close();
  }
  const now = { ...(await view(context, upload)), received: received + piece.length };
  if (now.received < upload.size) return now;
  const { title, published } = upload;
  const path = uploadFile(context, id);
  return { ...now, image: await takeImage(context, { path, title, published, uploadId: id }) };
}

/** Forgets an upload and what has arrived of it. */
export async function dropUpload(context: Context, id: string): Promise<void> {
  await needUpload(context, id);
  await context.uploads.remove(id);
  await rm(uploadFile(context, id), { force: true });
}
