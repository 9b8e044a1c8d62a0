import { UPLOAD_PIECE, type Image } from '@nest-mark/core';
import { askOf, type Answer, type TestServer } from './server';

/** A server by its address: one of this process or one of its own. */
type At = Pick<TestServer, 'url'>;

/** What a file is begun with; all but the name and the size is left to the server where it is not given. */
export interface Wish {
  filename: string;
  size: number;
  modified?: number;
  title?: string;
  sha256?: string;
}

const tus = { 'Tus-Resumable': '1.0.0' };

/** The headers of a beginning, as the protocol has them ("Creation", Upload-Metadata). */
export const beginHeaders = ({ size, ...metadata }: Wish): Record<string, string> => ({
  ...tus,
  'Upload-Length': String(size),
  'Upload-Metadata': Object.entries(metadata)
    .map(([key, value]) => `${key} ${Buffer.from(String(value)).toString('base64')}`.trim())
    .join(','),
});

/** Begins to send a file. @returns the id of the upload */
export async function begin({ url }: At, wish: Wish): Promise<string> {
  const { status, headers, body } = await askOf(url, 'POST', '/uploads', undefined, beginHeaders(wish));
  if (status !== 201) throw new Error(JSON.stringify(body));
  return /^\/api\/uploads\/([0-9a-f-]{36})$/.exec(headers.get('location') ?? '')![1]!;
}

/** The headers with which octets are sent that begin somewhere in the file. */
export const pieceHeaders = (offset: number): Record<string, string> => ({
  ...tus,
  'Upload-Offset': String(offset),
  'Content-Type': 'application/offset+octet-stream',
});

export const piece = <T>({ url }: At, id: string, offset: number, content: Buffer): Promise<Answer<T>> =>
  askOf<T>(url, 'PATCH', `/uploads/${id}`, content, pieceHeaders(offset));

export const forget = ({ url }: At, id: string): Promise<Answer<{ code: string }>> =>
  askOf(url, 'DELETE', `/uploads/${id}`, undefined, tus);

/** How far a file is, or the status with which that was refused. */
export async function stand({ url }: At, id: string): Promise<{ received: number; size: number } | number> {
  const { status, headers } = await askOf(url, 'HEAD', `/uploads/${id}`, undefined, tus);
  return status === 200
    ? { received: Number(headers.get('upload-offset')), size: Number(headers.get('upload-length')) }
    : status;
}

/** Sends what is missing of a file and waits until what came of it is settled. */
export async function sendAll(server: TestServer, id: string, content: Buffer): Promise<Image> {
  for (;;) {
    const now = await stand(server, id);
    if (typeof now === 'number') throw new Error(`how far it is was refused with ${String(now)}`);
    if (now.received === now.size) break;
    const next = content.subarray(now.received, now.received + UPLOAD_PIECE);
    const { status, body } = await piece(server, id, now.received, next);
    if (status !== 204) throw new Error(JSON.stringify(body));
  }
  return server.until(async () => {
    const { image_id: imageId } = await server
      .knex('upload')
      .where({ id })
      .first<{ image_id: string }>('image_id');
    const image = (await server.ok<Image[]>('GET', '/images')).find((one) => one.id === imageId);
    return image && image.state !== 'checking' ? image : null;
  });
}
