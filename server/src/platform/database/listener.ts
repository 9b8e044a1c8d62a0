import { setTimeout as pause } from 'node:timers/promises';
import { Client, type ClientConfig } from 'pg';

/** Milliseconds between two tries to connect again. */
const TRY_EVERY = 500;
/** Milliseconds between two signs of life. */
const BEAT = 10_000;

/** What hears on a channel. */
export interface Hearing {
  channel: string;
  heard(payload: string): void;
}

/**
 * A connection of its own on which the database calls (PostgreSQL documentation, LISTEN). What was said while it was
 * away is lost, so whoever listens is told of each connection and looks by itself.
 */
export class Listener {
  private client: Client | null = null;
  private ended = false;
  private working: Promise<void> = Promise.resolve();
  private beat: NodeJS.Timeout | null = null;

  constructor(
    private readonly connection: ClientConfig,
    private readonly hearings: readonly Hearing[],
    private readonly onConnect: () => void,
  ) {}

  /** Connects, and stays connected until it is closed. @throws when the database is not there at first */
  async start(): Promise<void> {
    await this.connect();
  }

  async close(): Promise<void> {
    this.ended = true;
    if (this.beat) clearInterval(this.beat);
    await this.client?.end().catch(() => undefined);
    this.client = null;
    await this.working;
  }

  private async connect(): Promise<void> {
    const client = new Client({ ...this.connection, keepAlive: true, connectionTimeoutMillis: 5000 });
    const state = { lost: false };
    const hasLost = (): boolean => state.lost;
    const lose = (): void => {
      if (state.lost) return;
      state.lost = true;
      if (this.client === client) this.again();
    };
    client.on('error', lose);
    client.on('end', lose);
    client.on('notification', ({ channel, payload = '' }) => {
      for (const hearing of this.hearings) if (hearing.channel === channel) hearing.heard(payload);
    });
    try {
      await client.connect();
      for (const { channel } of this.hearings) await client.query(`listen ${channel}`);
    } catch (error) {
      await client.end().catch(() => undefined);
      throw error;
    }
    if (this.isEnded()) {
      await client.end().catch(() => undefined);
      return;
    }
    this.client = client;
    this.beat = setInterval(() => void client.query('select 1').catch(lose), BEAT);
    this.beat.unref();
    // It may have gone before anybody would have been told.
    if (hasLost()) this.again();
    else this.onConnect();
  }

  private isEnded(): boolean {
    return this.ended;
  }

  private again(): void {
    if (this.ended) return;
    if (this.beat) clearInterval(this.beat);
    const old = this.client;
    this.client = null;
    void old?.end().catch(() => undefined);
    this.working = this.untilConnected();
  }

  private async untilConnected(): Promise<void> {
    while (!this.ended) {
      await pause(TRY_EVERY);
      if (
        this.isEnded() ||
        (await this.connect().then(
          () => true,
          () => false,
        ))
      )
        return;
    }
  }
}
