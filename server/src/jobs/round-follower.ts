import type { CardState } from '@nest-mark/core';
import type { CardOutcome, Phase } from '@nest-mark/station';
import type { ArmedCard, CardEnd } from '../db/rounds';
import type { Context } from '../services/context';
import { untilRecorded } from '../services/until-recorded';

const CACHED =
  'It was read back through the system’s cache, since the reader takes no direct access: a weaker proof than usual.';

/**
 * Follows one round: keeps its cards' states, the log and the browsers up to date. How a card ended is kept apart from
 * how far it is: the first is written down until it is on record, the second is dropped when the database is away.
 */
export class RoundFollower {
  private readonly outcomes = new Map<string, Promise<void>>();
  private lastSent = 0;
  /** When writing each slot began, and when it went over to reading back; milliseconds. */
  private readonly began = new Map<string, number>();
  private readonly turned = new Map<string, number>();
  /** Whether the round was held in between. */
  private held = false;

  constructor(
    private readonly context: Context,
    private readonly roundId: string,
    private readonly batchId: string,
    private readonly cards: readonly ArmedCard[],
  ) {}

  /** Starts the clock of some slots, by which the rates of this bench are learnt. */
  start(slotIds: readonly string[]): void {
    for (const slotId of slotIds) this.began.set(slotId, Date.now());
  }

  /** A round that was held in between teaches no rates. */
  wasHeld(): void {
    this.held = true;
  }

  /** Notes that a card is about to be overwritten: from here on it is nobody's. @throws when that is not on record */
  touching(slotId: string, writtenSha256: string): Promise<void> {
    const card = this.card(slotId);
    return this.context.knex.transaction(async (db) => {
      await this.context.rounds.setWritten(this.roundId, slotId, writtenSha256, db);
      if (card) await this.context.cards.happened(card.cardKey, 'touched', null, null, db);
    });
  }

  progress(slotId: string, phase: Phase, done: number, total: number): void {
    if (phase === 'verifying' && !this.turned.has(slotId)) this.turned.set(slotId, Date.now());
    const fresh = this.context.live.note(this.roundId, slotId, phase, done, total);
    if (fresh) void this.context.rounds.setPhase(this.roundId, slotId, phase).catch(() => undefined);
    if (fresh || Date.now() - this.lastSent > 200) {
      this.lastSent = Date.now();
      void this.send();
    }
  }

  /** Notes how a card ended; the first word about a card counts. */
  outcome(slotId: string, outcome: CardOutcome, octets = 0): void {
    const card = this.card(slotId);
    if (!card || this.outcomes.has(slotId)) return;
    const end = this.endOf(slotId, outcome, octets);
    const work = untilRecorded(this.context, () => this.record(card, outcome, end)).then(async () => {
      await this.send();
      this.context.events.send({ type: 'log' });
      this.context.events.send({ type: 'progress', batchId: this.batchId });
      this.context.events.send({ type: 'cards' });
      // Its slot is free for the next card, also while the others go on.
      this.context.events.send({ type: 'slots' });
    });
    // Seen by whoever waits for `settled`.
    work.catch(() => undefined);
    this.outcomes.set(slotId, work);
  }

  /** Waits until every outcome is on record. @throws when the program stops before */
  async settled(): Promise<void> {
    await Promise.all(this.outcomes.values());
  }

  private card(slotId: string): ArmedCard | undefined {
    return this.cards.find((candidate) => candidate.slotId === slotId);
  }

  private endOf(slotId: string, outcome: CardOutcome, octets: number): CardEnd {
    const began = this.began.get(slotId);
    const turned = this.turned.get(slotId);
    const timed = outcome.state === 'verified' && octets > 0 && !this.held;
    const cached = outcome.state === 'verified' && !outcome.pastCache;
    return {
      state: outcome.state,
      message: outcome.state === 'failed' ? outcome.message : cached ? CACHED : '',
      fault: outcome.state === 'failed' ? outcome.code : null,
      pastCache: outcome.state === 'verified' ? outcome.pastCache : null,
      took:
        timed && began !== undefined && turned !== undefined
          ? { octets, writeSeconds: (turned - began) / 1000, verifySeconds: (Date.now() - turned) / 1000 }
          : null,
    };
  }

  /** Writes an outcome down, with what it makes of the card and its line in the log, all of it or nothing; once. */
  private async record(card: ArmedCard, outcome: CardOutcome, end: CardEnd): Promise<void> {
    const { context, roundId } = this;
    const { slotId, deviceId, hostName } = card;
    const text = {
      verified: `The card of ${hostName} was written and verified.${end.pastCache === false ? ` ${CACHED}` : ''}`,
      failed: `The card of ${hostName} failed: ${end.message}`,
      cancelled: `The card of ${hostName} was left unfinished: the round was cancelled.`,
    }[outcome.state];
    await context.knex.transaction(async (db) => {
      if (!(await context.rounds.endCard(roundId, slotId, end, db))) return;
      // A card that was refused before its first octet was touched stays what it was.
      if (outcome.state === 'verified')
        await context.cards.happened(card.cardKey, 'verified', { deviceId, roundId }, outcome.content, db);
      await context.log.add(
        [
          {
            kind: `card-${outcome.state satisfies CardState}`,
            batchId: this.batchId,
            deviceId,
            cardSerial: card.identity.serial,
            text,
          },
        ],
        db,
      );
    });
  }

  /** Tells the browsers how the round stands; nothing is lost when that fails. */
  private async send(): Promise<void> {
    const round = await this.context.rounds.find(this.roundId).catch(() => null);
    if (round) this.context.events.send({ type: 'round', round: this.context.live.overlay(round) });
  }
}
