import { setTimeout as pause } from 'node:timers/promises';
import { Client, type ClientConfig } from 'pg';
import { DatabaseError } from '../database/connect';

/** Milliseconds between two signs of life on the lock's connection, and for the answer to one. */
const BEAT = 5000;
const ANSWER = 4000;
/** Milliseconds between two tries to get the lock back, and after which a station gives up. */
const TRY_EVERY = 500;
const GIVE_UP_AFTER = 60_000;
/** Milliseconds for which the lock of a process that was killed may still be seen at a start. */
const KILLED_COUNTS = 3000;

/** Lets the server notice a cable that was pulled after 14 s instead of two hours (measured). */
const keepAlives = '-c tcp_keepalives_idle=5 -c tcp_keepalives_interval=3 -c tcp_keepalives_count=3';

const taken = (station: string): DatabaseError =>
  new DatabaseError(
    `The station "${station}" is running already on this database. Stop it first, or open it in the browser.`,
  );

/**
 * The right to be a station: an advisory lock of the database on a connection of its own, which ends with the
 * connection, also after a kill. It is watched; while it is lost no new work is begun, and what runs goes on, since a
 * card that is open here can be reached by nobody else.
 */
export class StationLock {
  private client: Client | null = null;
  private beat: NodeJS.Timeout | null = null;
  private regaining: Promise<void> | null = null;
  private ended = false;
  private opened: () => void = () => undefined;
  private held: Promise<void> = Promise.resolve();

  private constructor(
    private readonly connection: ClientConfig,
    private readonly station: string,
    private readonly onLost: (why: DatabaseError) => void,
  ) {}

  /**
   * @param onLost called once when the lock could not be got back: somebody else is this station now, or the database
   *   stays away
   * @throws DatabaseError when another process is this station
   */
  static async take(
    connection: ClientConfig,
    station: string,
    onLost: (why: DatabaseError) => void,
  ): Promise<StationLock> {
    const lock = new StationLock(connection, station, onLost);
    // That of a process that was killed a moment ago can still count until the database notices.
    for (const until = Date.now() + KILLED_COUNTS; !(await lock.tryOnce()); await pause(TRY_EVERY))
      if (Date.now() > until) throw taken(station);
    return lock;
  }

  /** Settles when the lock is held; at once as a rule. Work begins after it. */
  whenHeld(): Promise<void> {
    return this.held;
  }

  async release(): Promise<void> {
    this.ended = true;
    this.opened();
    // A try that is under way may still get it, after nobody wants it any more.
    await this.regaining;
    if (this.beat) clearInterval(this.beat);
    await this.client?.end().catch(() => undefined);
    this.client = null;
  }

  /** @returns false when somebody else holds it; throws when the database does not answer */
  private async tryOnce(): Promise<boolean> {
    const client = new Client({
      ...this.connection,
      keepAlive: true,
      options: keepAlives,
      connectionTimeoutMillis: ANSWER,
      query_timeout: ANSWER,
      application_name: `nest-mark ${this.station}`,
    });
    const state = { lost: false };
    const lose = (): void => {
      if (state.lost) return;
      state.lost = true;
      if (this.client === client) this.regain();
    };
    client.on('error', lose);
    client.on('end', lose);
    await client.connect();
    try {
      const { rows } = await client.query<{ locked: boolean }>(
        'select pg_try_advisory_lock(hashtextextended($1, 0)) as locked',
        [`nest-mark station ${this.station}`],
      );
      if (!rows[0]?.locked) {
        await client.end();
        return false;
      }
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
    if (this.ended) {
      await client.end().catch(() => undefined);
      return false;
    }
    this.client = client;
    this.beat = setInterval(() => void client.query('select 1').catch(lose), BEAT);
    this.beat.unref();
    if (state.lost) this.regain();
    return true;
  }

  /** Keeps new work waiting and tries to get the lock back. */
  private regain(): void {
    if (this.ended || this.regaining) return;
    if (this.beat) clearInterval(this.beat);
    const old = this.client;
    this.client = null;
    void old?.end().catch(() => undefined);
    this.held = new Promise((resolve) => (this.opened = resolve));
    this.regaining = this.tryUntil(Date.now() + GIVE_UP_AFTER).finally(() => (this.regaining = null));
  }

  private async tryUntil(until: number): Promise<void> {
    let elsewhere = 0;
    while (!this.ended) {
      const got = await this.tryOnce().catch(() => null);
      if (got) {
        this.opened();
        return;
      }
      // Its own old connection can still count for a moment, until the database notices that it is gone.
      if (got === false) elsewhere++;
      if (Date.now() > until || elsewhere > 20_000 / TRY_EVERY) break;
      await pause(TRY_EVERY);
    }
    if (!this.ended)
      this.onLost(
        elsewhere > 0
          ? taken(this.station)
          : new DatabaseError(
              'The database went away and did not come back. Nest Mark stops; start it again.',
            ),
      );
  }
}
