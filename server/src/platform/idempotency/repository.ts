import type { Knex } from 'knex';

interface Row {
  key: string;
  request: string;
  body: unknown;
}

/** Answers that were given, by the key of their request. */
export class IdempotencyRepository {
  constructor(private readonly knex: Knex) {}

  /** The digest of the request that used a key, with its answer; null when the key is new. */
  async find(key: string): Promise<{ request: string; body: unknown } | null> {
    return (await this.knex<Row>('idempotency').where('key', key).first('request', 'body')) ?? null;
  }

  async keep(key: string, request: string, answer: unknown): Promise<void> {
    await this.knex('idempotency')
      .insert({ key, request, status: 200, body: JSON.stringify(answer) })
      .onConflict('key')
      .ignore();
  }
}
