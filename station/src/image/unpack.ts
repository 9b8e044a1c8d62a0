import { spawn } from 'node:child_process';
import { createReadStream } from 'node:fs';
import { openPlainFile } from './plain-file';
import type { Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { packedAs, type PackedAs } from '@nest-mark/core';
import { ImageError } from './image-error';
import { unpackZip } from './zip';

export { ImageError };

export type Packing = PackedAs | 'raw';

/**
 * Tells a file's packing by its first octets, not by its name.
 * @throws ImageError, also for a path at which there is no plain file
 */
export async function packingOf(path: string): Promise<Packing> {
  const file = await openPlainFile(path);
  try {
    const head = Buffer.alloc(8);
    const { bytesRead } = await file.read(head, 0, 8, 0);
    if (bytesRead === 0) throw new ImageError('damaged', 'The file is empty. Get the image again.');
    return packedAs(head) ?? 'raw';
  } finally {
    await file.close();
  }
}

const chunk = 4 << 20;
const damaged = (): ImageError =>
  new ImageError(
    'damaged',
    'The image is cut off or damaged: it cannot be unpacked to its end. Get it again.',
  );

/** A decoder that runs as a program; its output ends normally on damage, only the exit code tells. */
async function* decodeBy(
  command: string,
  args: readonly string[],
  signal?: AbortSignal,
): AsyncGenerator<Buffer> {
  const decoder = spawn(command, args, {
    stdio: ['ignore', 'pipe', 'ignore'],
    ...(signal ? { signal } : {}),
  });
  const ended = new Promise<number | null>((resolve, reject) => {
    decoder.once('error', (error) => {
      reject(
        signal?.aborted
          ? error
          : new ImageError('tool', `The program ${command} is missing. Run npm start again to install it.`),
      );
    });
    decoder.once('close', resolve);
  });
  // Looked at below; without this an early end of the reader would count as an unhandled rejection.
  ended.catch(() => undefined);
  try {
    for await (const part of decoder.stdout as AsyncIterable<Buffer>) yield part;
    if ((await ended) !== 0) throw damaged();
  } finally {
    if (decoder.exitCode === null) decoder.kill();
  }
}

async function* decodeGzip(path: string): AsyncGenerator<Buffer> {
  const source = createReadStream(path, { highWaterMark: chunk });
  const gunzip = createGunzip({ chunkSize: chunk });
  source.once('error', (error) => gunzip.destroy(error));
  const stream: Readable = source.pipe(gunzip);
  try {
    for await (const part of stream as AsyncIterable<Buffer>) yield part;
  } catch {
    throw damaged();
  } finally {
    source.destroy();
    gunzip.destroy();
  }
}

/** The unpacked octets of an image file, in pieces. @throws ImageError when it is damaged */
export function unpack(path: string, packing: Packing, signal?: AbortSignal): AsyncIterable<Buffer> {
  if (packing === 'xz') return decodeBy('xz', ['-dc', '-T2', '--', path], signal);
  if (packing === 'zstd') return decodeBy('zstd', ['-dcq', '--', path], signal);
  if (packing === 'gzip') return decodeGzip(path);
  if (packing === 'zip') return unpackZip(path);
  return createReadStream(path, { highWaterMark: chunk }) as AsyncIterable<Buffer>;
}
