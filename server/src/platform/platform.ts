import type { Knex } from 'knex';
import type { EventHub } from './events/hub';
import type { IdempotencyRepository } from './idempotency/repository';
import type { LogRepository } from './log/repository';

/** What every domain stands on. */
export interface Platform {
  /** For transactions; what is asked of tables is asked in repositories. */
  knex: Knex;
  log: LogRepository;
  events: EventHub;
  idempotency: IdempotencyRepository;
  /** Name of this station. */
  station: string;
  /** Aborted when the program stops: nothing is waited for any more. */
  closing: AbortSignal;
}
