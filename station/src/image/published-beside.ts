import { ImageError } from './image-error';
import {
  ask,
  certificateFault,
  httpWords,
  lengthOf,
  one,
  originOf,
  refused,
  stopped,
  validator,
  webAddress,
  type Origin,
} from './web-request';

/** Names under which digests lie beside a file (common practice). */
const besides = (name: string): string[] => [
  `${name}.sha256`,
  `${name}.sha256sum`,
  'SHA256SUMS',
  'sha256sum.txt',
];
/** Largest list of digests. */
const LARGEST_LIST = 200_000;

/** A small text at an address; null where there is none, or where it cannot be had. @throws ImageError when stopped */
async function smallText(
  url: URL,
  signal: AbortSignal | undefined,
  patience: number,
): Promise<string | null> {
  try {
    const { status, body } = await ask('GET', url, {}, { signal, patience });
    if (status !== 200) {
      await body.dump();
      return null;
    }
    let text = '';
    // Leaving the loop ends the line.
    for await (const piece of body as AsyncIterable<Buffer>) {
      text += piece.toString('utf8');
      if (text.length > LARGEST_LIST) return null;
    }
    return text;
  } catch {
    if (signal?.aborted) throw stopped();
    return null;
  }
}

/**
 * The digests that are published beside a file.
 * @returns the text of the first list that is there; empty when there is none
 * @throws ImageError when it was stopped
 */
export async function publishedBeside(
  address: string,
  signal?: AbortSignal,
  patience = 20_000,
): Promise<string> {
  const url = webAddress(address);
  for (const name of besides(url.pathname.split('/').at(-1) ?? '')) {
    const text = await smallText(new URL(name, url), signal, patience);
    // Pages that say that there is nothing come with success too.
    if (text !== null && /[0-9a-f]{64}/i.test(text) && !/<html/i.test(text)) return text;
  }
  return '';
}

/** Whether the file at an address is still the one that was taken. @throws ImageError when the server does not say */
export async function isNewer(
  origin: Origin,
  signal?: AbortSignal,
  patience = 20_000,
): Promise<'same' | 'newer' | 'unknown'> {
  const answer = await ask('HEAD', webAddress(origin.address), {}, { signal, patience }).catch(
    (error: unknown) => {
      if (error instanceof ImageError) throw error;
      throw refused(certificateFault(error) ?? 'The server cannot be reached.');
    },
  );
  await answer.body.dump();
  if (answer.status !== 200) throw refused(httpWords(answer.status));
  const now = originOf(origin.address, answer.headers, lengthOf(one(answer.headers['content-length'])));
  if (validator(origin) === '' || validator(now) === '')
    return origin.length !== null && now.length !== null && now.length !== origin.length
      ? 'newer'
      : 'unknown';
  return validator(now) === validator(origin) ? 'same' : 'newer';
}
