import { TestBed } from '@angular/core/testing';
import { firstValueFrom } from 'rxjs';
import { Api } from '../src/app/api/api';
import { asProblem } from '../src/app/api/api-problem';
import { batchId, tankBatch, tankPlan } from './helpers/plan';

interface Request {
  url: string;
  init: { method: string; headers: Record<string, string>; body?: string };
}

/** Answers the next request, and remembers what was asked. */
function server(status: number, body: string): Request[] {
  const asked: Request[] = [];
  globalThis.fetch = ((url: string, init: Request['init']) => {
    asked.push({ url, init });
    const json = (): Promise<unknown> => Promise.resolve().then(() => JSON.parse(body) as unknown);
    return Promise.resolve({ ok: status < 400, status, json, text: () => Promise.resolve(body) });
  }) as unknown as typeof fetch;
  return asked;
}

const code = async (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'no error',
    (error: unknown) => asProblem(error).code,
  );

describe('the server’s interface as the page sees it', () => {
  const api = (): Api => TestBed.inject(Api);

  it('names the version that was read, and marks requests that change something', async () => {
    const asked = server(200, JSON.stringify(tankBatch(1)));
    await firstValueFrom(api().saveBatch(batchId, 7, { plan: tankPlan(1), secrets: {} }));
    expect(asked[0]?.url).toBe(`/api/batches/${batchId}`);
    expect(asked[0]?.init).toMatchObject({
      method: 'PUT',
      headers: { 'If-Match': '"7"', 'X-Nest-Mark': '1', 'Content-Type': 'application/json' },
    });
  });

  it('gives every start of work a key of its own, and questions none', async () => {
    const asked = server(200, '{}');
    await code(firstValueFrom(api().armRound(batchId, { cards: [], confirm: '', lookedAt: 0 })));
    await code(firstValueFrom(api().armRound(batchId, { cards: [], confirm: '', lookedAt: 0 })));
    await code(firstValueFrom(api().batches()));
    const keys = asked.map(({ init }) => init.headers['Idempotency-Key']);
    expect(keys[0]).toMatch(/^[\w-]{36}$/);
    expect(keys[1]).not.toBe(keys[0]);
    expect(keys[2]).toBeUndefined();
    expect(asked[2]?.init.headers['X-Nest-Mark']).toBeUndefined();
  });

  it('tells the server’s own reason, an answer without one, an answer that is not understood, and no answer', async () => {
    const problem = { type: 'about:blank', title: 'T', status: 409, code: 'slot-busy', detail: 'D' };
    server(409, JSON.stringify(problem));
    expect(await code(firstValueFrom(api().batches()))).toBe('slot-busy');
    server(502, '<html>');
    expect(await code(firstValueFrom(api().batches()))).toBe('unknown');
    server(200, '[{"id": 5}]');
    expect(await code(firstValueFrom(api().batches()))).toBe('answer');
    globalThis.fetch = () => Promise.reject(new TypeError('refused'));
    expect(await code(firstValueFrom(api().batches()))).toBe('unreachable');
  });
});
