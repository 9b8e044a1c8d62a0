import { TestBed } from '@angular/core/testing';
import type { HttpRequest, HttpResponse } from 'tus-js-client';
import { UPLOAD_PIECE } from '@nest-mark/core';
import type { ProblemCode } from '@nest-mark/core/api';
import { Uploader } from '../src/app/images/uploader';
import { failure } from './helpers/store';

const size = 2 * UPLOAD_PIECE + 5;
const file = new File([new Uint8Array(size)], 'marsh.img', { lastModified: 77 });

type Refusal = ProblemCode | 'lost';

/**
 * A server that has some octets already and takes more, by the tus protocol; it refuses requests by their number, and
 * "lost" loses the answer to one that was done.
 */
function server(received: number, refusals: Record<number, Refusal> = {}) {
  const asked: string[] = [];
  let metadata = '';
  const answer = (status: number, headers: Record<string, string>, body = ''): HttpResponse => ({
    getStatus: () => status,
    getHeader: (name) => headers[name],
    getBody: () => body,
    getUnderlyingObject: () => null,
  });
  const done = (method: string, headers: Record<string, string>, content: Blob | null): HttpResponse => {
    if (method === 'POST') {
      metadata = headers['Upload-Metadata'] ?? '';
      return answer(201, { Location: '/api/uploads/u' });
    }
    if (method === 'HEAD')
      return answer(200, { 'Upload-Offset': String(received), 'Upload-Length': String(size) });
    if (Number(headers['Upload-Offset']) !== received)
      return answer(409, {}, JSON.stringify(failure('upload-place').problem));
    received += content?.size ?? 0;
    return answer(204, { 'Upload-Offset': String(received) });
  };
  const httpStack = {
    getName: () => 'in memory',
    createRequest: (method: string, url: string): HttpRequest => {
      const headers: Record<string, string> = {};
      return {
        getMethod: () => method,
        getURL: () => url,
        setHeader: (name, value) => (headers[name] = value),
        getHeader: (name) => headers[name],
        setProgressHandler: () => undefined,
        abort: () => Promise.resolve(),
        getUnderlyingObject: () => null,
        send: (content: Blob | null) => {
          const refusal = refusals[asked.length];
          const { 'Upload-Offset': offset = '' } = headers;
          asked.push(method === 'PATCH' ? `${offset}+${String(content?.size)}` : method);
          expect(headers['X-Nest-Mark']).toBe('1');
          if (refusal && refusal !== 'lost') {
            const { problem } = failure(refusal);
            return refusal === 'unreachable'
              ? Promise.reject(new Error('no answer'))
              : Promise.resolve(answer(problem.status, {}, JSON.stringify(problem)));
          }
          const told = done(method, headers, content);
          return refusal === 'lost' ? Promise.reject(new Error('no answer')) : Promise.resolve(told);
        },
      };
    },
  };
  const uploader = TestBed.inject(Uploader);
  uploader.using = { httpStack, retryDelays: [0, 0, 0] };
  return { asked, uploader, metadata: () => metadata };
}

const first = `0+${String(UPLOAD_PIECE)}`;
const second = `${String(UPLOAD_PIECE)}+${String(UPLOAD_PIECE)}`;
const last = `${String(2 * UPLOAD_PIECE)}+5`;

describe('sending an image', () => {
  it('begins with what is known of it, and goes in pieces', async () => {
    const { asked, uploader, metadata } = server(0);
    await uploader.send(file, 'Mårsh', '');
    expect(asked).toEqual(['POST', first, second, last]);
    const told = Object.fromEntries(
      metadata()
        .split(',')
        .map((pair) => pair.split(' ') as [string, string]),
    );
    expect(atob(told['filename']!)).toBe('marsh.img');
    expect(atob(told['modified']!)).toBe('77');
    expect(new TextDecoder().decode(Uint8Array.from(atob(told['title']!), (c) => c.charCodeAt(0)))).toBe(
      'Mårsh',
    );
    expect(uploader.sending()).toBeNull();
  });

  it('goes on where the same file was broken off', async () => {
    const { asked, uploader } = server(2 * UPLOAD_PIECE);
    await uploader.send(file, '', '');
    expect(asked.slice(-2)).toEqual(['HEAD', last]);
    expect(uploader.sending()).toBeNull();
  });

  it.each<[string, number, Refusal]>([
    ['before it began', 0, 'unreachable'],
    ['in the middle', 2, 'unreachable'],
    ['in an answer', 1, 'lost'],
    ['in the answer to the last octets', 3, 'lost'],
    ['to the database of the server', 2, 'database-away'],
  ])('goes on by itself where the line broke %s', async (_where, nth, refusal) => {
    const { asked, uploader } = server(0, { [nth]: refusal });
    await uploader.send(file, '', '');
    expect(asked.filter((one) => one === last)).toHaveLength(1);
    expect(asked.filter((one) => one === second).length).toBeLessThan(3);
    expect(uploader.sending()).toBeNull();
  });

  it('tells that it waits while the server does not answer, and that it failed when that lasts', async () => {
    const { uploader } = server(0, {
      1: 'unreachable',
      2: 'unreachable',
      3: 'unreachable',
      4: 'unreachable',
      5: 'unreachable',
      6: 'unreachable',
      7: 'unreachable',
    });
    const states: unknown[] = [];
    const set = uploader.sending.update.bind(uploader.sending);
    jest.spyOn(uploader.sending, 'update').mockImplementation((change) => {
      set(change);
      states.push(uploader.sending()?.state);
    });
    await uploader.send(file, '', '');
    expect(states).toContain('waiting');
    expect(uploader.sending()).toMatchObject({ state: 'failed', problem: { code: 'unreachable' } });
  });

  it('stops with the reason when the server refuses', async () => {
    const { asked, uploader } = server(0, { 1: 'upload-disk-full' });
    await uploader.send(file, '', '');
    expect(asked).toHaveLength(2);
    expect(uploader.sending()).toMatchObject({ state: 'failed', problem: { code: 'upload-disk-full' } });
    uploader.stop();
    expect(uploader.sending()).toBeNull();
  });

  it('stops when it is told to, at once too, and sends nothing more', async () => {
    const { asked, uploader } = server(0);
    const sent = uploader.send(file, '', '');
    uploader.stop();
    await sent;
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(asked).toEqual([]);
    expect(uploader.sending()).toBeNull();
    await uploader.send(file, '', '');
    expect(asked.at(-1)).toBe(last);
  });

  it('takes its own digest out of a long list, and sends what says nothing of it so that it is told', async () => {
    const digest = 'a1'.repeat(32);
    const list = Array.from({ length: 500 }, (_, nth) => `${'b'.repeat(64)}  other-${String(nth)}.img`);
    const told = async (text: string): Promise<string> => {
      const { uploader, metadata } = server(0);
      await uploader.send(file, '', text);
      TestBed.resetTestingModule();
      return atob(/sha256 ([^,]*)/.exec(metadata())![1]!);
    };
    expect(await told([...list, `${digest}  marsh.img`].join('\n'))).toBe(digest);
    expect(await told(list.join('\n'))).toBe(list.join('\n').slice(0, 2000));
    expect(await told('nonsense')).toBe('nonsense');
  });
});
