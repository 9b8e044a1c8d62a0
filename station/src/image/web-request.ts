import { Agent, EnvHttpProxyAgent, request, type Dispatcher } from 'undici';
import * as z from 'zod';
import { ImageError } from './image-error';

/** Requests to the web for images, only ever to an address that a person gave (RFC 9110). */

/** Hops that a redirect may take. */
const MOST_HOPS = 10;
/** What a server says by which its file can be told from a later one (RFC 9110 section 8.8). */
export const OriginSchema = z.object({
  /** As it was given. */
  address: z.string(),
  /** A strong entity tag; empty where there is none. */
  etag: z.string(),
  lastModified: z.string(),
  /** Octets, where it was told. */
  length: z.number().nullable(),
});
export type Origin = z.infer<typeof OriginSchema>;

export const refused = (message: string): ImageError => new ImageError('address', message);

/** @throws ImageError when a text is no address of the web */
export function webAddress(text: string): URL {
  const url = URL.canParse(text.trim()) ? new URL(text.trim()) : null;
  if (!url || !/^https?:$/.test(url.protocol) || url.hostname === '')
    throw refused(
      'This is no address of a file: it begins with https:// or http://. Copy it from the page that offers the image.',
    );
  return url;
}

/** Name of the file that an address leads to. */
export const addressName = (address: string): string => {
  const last = new URL(address).pathname.split('/').at(-1) ?? '';
  try {
    return decodeURIComponent(last) || 'image';
  } catch {
    return last || 'image';
  }
};

export interface Answer {
  status: number;
  headers: Dispatcher.ResponseData['headers'];
  body: Dispatcher.ResponseData['body'];
}

export const one = (value: string | string[] | undefined): string =>
  Array.isArray(value) ? (value[0] ?? '') : (value ?? '');

/** Follows redirects by itself, so that none leads from a protected line to an open one, or round in circles. */
export async function ask(
  method: 'GET' | 'HEAD',
  address: URL,
  headers: Record<string, string>,
  options: { signal?: AbortSignal | undefined; patience: number },
): Promise<Answer> {
  // The system's own settings for proxies: HTTP_PROXY, HTTPS_PROXY, NO_PROXY.
  const limits = {
    headersTimeout: options.patience,
    bodyTimeout: options.patience,
    connectTimeout: options.patience,
  };
  const proxied = ['http_proxy', 'https_proxy'].some(
    (name) => process.env[name] ?? process.env[name.toUpperCase()],
  );
  const dispatcher = proxied ? new EnvHttpProxyAgent(limits) : new Agent(limits);
  let url = address;
  for (let hop = 0; hop <= MOST_HOPS; hop++) {
    const answer = await request(url, {
      method,
      dispatcher,
      headers: { 'accept-encoding': 'identity', ...headers },
      ...(options.signal ? { signal: options.signal } : {}),
    });
    if (![301, 302, 303, 307, 308].includes(answer.statusCode))
      return { status: answer.statusCode, headers: answer.headers, body: answer.body };
    await answer.body.dump();
    const to = one(answer.headers.location);
    const next = URL.canParse(to, url.href) ? webAddress(new URL(to, url).href) : null;
    if (!next) throw refused('The server sends on to an address that is none.');
    if (url.protocol === 'https:' && next.protocol === 'http:')
      throw refused('The server sends on from a protected line to an open one, which is not followed.');
    url = next;
  }
  throw refused(`The server sends on in circles: after ${String(MOST_HOPS)} times there was still no file.`);
}

export const lengthOf = (text: string): number | null => (/^\d{1,15}$/.test(text) ? Number(text) : null);

export const originOf = (address: string, headers: Answer['headers'], length: number | null): Origin => {
  const etag = one(headers.etag);
  return {
    address,
    etag: etag.startsWith('W/') ? '' : etag,
    lastModified: one(headers['last-modified']),
    length,
  };
};

export const validator = ({ etag, lastModified }: Origin): string => etag || lastModified;

export const httpWords = (status: number): string =>
  status === 404 || status === 410
    ? 'There is no file at this address (any more). Look it up again on the page that offers it.'
    : status === 401 || status === 403
      ? 'The server does not hand this file out without a login.'
      : `The server refuses the file (answer ${String(status)}).`;

export const stopped = (): ImageError =>
  new ImageError(
    'stopped',
    'The fetching of this image was stopped. Added again, it goes on where it stopped.',
  );

const CodedErrorSchema = z.object({
  code: z.string().optional(),
  cause: z.object({ code: z.string().optional() }).optional(),
});

/** What a failed request says to people; null where it may go on. */
export function certificateFault(error: unknown): string | null {
  const known = CodedErrorSchema.safeParse(error).data;
  const code = known?.code ?? known?.cause?.code ?? '';
  return /CERT|SSL|TLS|SELF_SIGNED|UNABLE_TO/.test(code)
    ? `The server does not prove that it is the one of this address (${code}). Nothing was taken from it.`
    : null;
}
