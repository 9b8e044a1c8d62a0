import { open, readFile, rm, stat, statfs, writeFile, type FileHandle } from 'node:fs/promises';
import { setTimeout as pause } from 'node:timers/promises';
import { bothSizes } from '@nest-mark/core';
import { ImageError } from './image-error';
import {
  ask,
  certificateFault,
  httpWords,
  lengthOf,
  one,
  originOf,
  OriginSchema,
  refused,
  stopped,
  validator,
  webAddress,
  type Answer,
  type Origin,
} from './web-request';

/**
 * Gets a file from an address (RFC 9110: ranges section 14, conditions section 13, redirects section 15.4). What has
 * arrived stays beside the target with what the server said of it, and a later call goes on from there if the file there
 * is still the same.
 */

/** Octets between two looks at the disk's free room. */
const LOOK_EVERY = 64e6;

export interface FetchProgress {
  received: number;
  total: number | null;
}

export interface FetchOptions {
  /** Octets that a file may have. */
  largest: number;
  /** Octets that stay free on the disk. */
  leaveFree: number;
  signal?: AbortSignal | undefined;
  onProgress?: (progress: FetchProgress) => void;
  /** Milliseconds without an octet after which the line counts as broken. */
  patience?: number;
  /** Times that it goes on after a break that brought nothing new. */
  attempts?: number;
  /** Milliseconds before it goes on; doubled after each break that brought nothing new. */
  rest?: number;
}

const sameFile = (a: Origin, b: Origin): boolean =>
  validator(a) !== '' && validator(a) === validator(b) && a.length === b.length;

/** Where a file gathers, and what is known of it. */
interface Part {
  file: FileHandle;
  received: number;
  origin: Origin | null;
}

const notesOf = (target: string): string => `${target}.json`;

async function keptOrigin(target: string, address: string): Promise<Origin | null> {
  const text = await readFile(notesOf(target), 'utf8').catch(() => '');
  try {
    const origin = OriginSchema.parse(JSON.parse(text));
    return origin.address === address ? origin : null;
  } catch {
    return null;
  }
}

/** What a part of a file is a part of: first octet, and octets of all of it (RFC 9110 section 14.4). */
function rangeOf(headers: Answer['headers']): { first: number; total: number | null } | null {
  const found = /^bytes (\d{1,15})-\d{1,15}\/(\d{1,15}|\*)$/i.exec(one(headers['content-range']).trim());
  return found ? { first: Number(found[1]), total: lengthOf(found[2] ?? '') } : null;
}

/** A break that may pass: the line, or a server that has too much to do. */
class Broken extends Error {
  override readonly name = 'Broken';
}

async function begin(part: Part): Promise<void> {
  await part.file.truncate(0);
  part.received = 0;
  part.origin = null;
}

/** One request, as far as it gets. @returns whether the file is whole */
async function attempt(
  url: URL,
  target: string,
  part: Part,
  options: Required<Pick<FetchOptions, 'patience'>> & FetchOptions,
): Promise<boolean> {
  const { origin } = part;
  const goesOn = part.received > 0 && origin !== null && validator(origin) !== '';
  if (!goesOn) await begin(part);
  const headers: Record<string, string> = goesOn
    ? { range: `bytes=${String(part.received)}-`, 'if-range': validator(origin) }
    : {};
  const answer = await ask('GET', url, headers, options);
  if (answer.status === 416) {
    await answer.body.dump();
    if (origin?.length === part.received) return true;
    await begin(part);
    throw new Broken('the file there is another one now');
  }
  if (answer.status === 408 || answer.status === 429 || answer.status >= 500) {
    await answer.body.dump();
    throw new Broken(`the server answers ${String(answer.status)}`);
  }
  if (answer.status !== 200 && answer.status !== 206) {
    await answer.body.dump();
    throw refused(httpWords(answer.status));
  }
  const coding = one(answer.headers['content-encoding']);
  if (coding !== '' && coding.toLowerCase() !== 'identity') {
    answer.body.destroy();
    throw refused(
      `The server sends the file in another coding (${coding}), so its length and digest cannot be held against what is published.`,
    );
  }
  const range = answer.status === 206 ? rangeOf(answer.headers) : null;
  const total = range ? range.total : lengthOf(one(answer.headers['content-length']));
  const now = originOf(url.href, answer.headers, total);
  if (
    answer.status === 206 &&
    (!range || range.first !== part.received || !origin || !sameFile(origin, now))
  ) {
    answer.body.destroy();
    await begin(part);
    throw new Broken('the file there is another one now');
  }
  // The whole file from its beginning: it changed, or the server cannot send parts.
  if (answer.status === 200 && part.received > 0) await begin(part);
  if (total !== null && total > options.largest) {
    answer.body.destroy();
    throw tooLarge(options.largest);
  }
  part.origin = now;
  await writeFile(notesOf(target), JSON.stringify(now), { mode: 0o600 });
  let looked = -Infinity;
  for await (const piece of answer.body as AsyncIterable<Buffer>) {
    if (part.received - looked >= LOOK_EVERY) {
      looked = part.received;
      const disk = await statfs(target);
      if (disk.bavail * disk.bsize < options.leaveFree) throw full();
    }
    if (part.received + piece.length > Math.min(options.largest, total ?? Infinity)) {
      if (total === null || total > options.largest) throw tooLarge(options.largest);
      throw refused('The server sends more than the length that it told. Get the file in another way.');
    }
    await part.file.write(piece, 0, piece.length, part.received);
    part.received += piece.length;
    options.onProgress?.({ received: part.received, total });
  }
  if (total !== null && part.received < total) throw new Broken('the line broke');
  return true;
}

const full = (): ImageError =>
  new ImageError(
    'full',
    'The disk is full. Make room, then get the image again; it goes on where it stopped.',
  );
const tooLarge = (largest: number): ImageError =>
  new ImageError('large', `The file has more than ${bothSizes(largest)}, which no card allowed here holds.`);

/**
 * Gets a file, going on after breaks.
 * @param target where it is put; what has arrived stays there when it fails for a while, and is forgotten when it never can
 * @returns what the server said of it
 * @throws ImageError
 */
export async function fetchImage(address: string, target: string, options: FetchOptions): Promise<Origin> {
  const url = webAddress(address);
  const { patience = 60_000, attempts = 5, rest = 1000, signal } = options;
  const file = await open(target, 'a+', 0o600).then(async (made) => {
    await made.close();
    return open(target, 'r+');
  });
  const part: Part = {
    file,
    received: (await stat(target)).size,
    origin: await keptOrigin(target, url.href),
  };
  try {
    for (let failed = 0; ;) {
      const before = part.received;
      try {
        if (await attempt(url, target, part, { ...options, patience })) break;
      } catch (error) {
        if (signal?.aborted) throw stopped();
        if (error instanceof ImageError) throw error;
        if ((error as NodeJS.ErrnoException).code === 'ENOSPC') throw full();
        const fault = certificateFault(error);
        if (fault !== null) throw refused(fault);
        failed = part.received > before ? 1 : failed + 1;
        if (failed >= attempts)
          throw new ImageError(
            'broken',
            `The file did not arrive: ${error instanceof Broken ? error.message : 'the server cannot be reached, or the line breaks'}. ${bothSizes(part.received)} are kept; add it again to go on.`,
          );
        await pause(rest * 2 ** (failed - 1), undefined, signal ? { signal } : {}).catch(() => {
          throw stopped();
        });
      }
    }
    await file.sync();
    // The notes stay until the file is forgotten: who dies before it is on the shelf need not fetch it again.
    return part.origin ?? originOf(url.href, {}, part.received);
  } finally {
    await file.close();
  }
}

/** Forgets what has arrived of a file. */
export async function forgetFetched(target: string): Promise<void> {
  await rm(target, { force: true });
  await rm(notesOf(target), { force: true });
}
