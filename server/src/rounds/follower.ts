import type { CardState } from '@nest-mark/core';
import type { CardOutcome, Phase } from '@nest-mark/station';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { ItemEnd } from '../platform/runs/model';
import type { Rounds } from './domain';
import type { ArmedCard, CardEnd } from './repository';

const CACHED =
  'It was read back through the system’s cache, since the reader takes no direct access: a weaker proof than usual.';

/** Milliseconds between two words about how far the cards are. */
const TELL_EVERY = 200;

/** A card's end in the words of runs. */
const itemStates: Record<CardOutcome['state'], ItemEnd['state']> = {
  verified: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
};

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
    private readonly rounds: Rounds,
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
    const { knex, repository, cards } = this.rounds;
    const card = this.card(slotId);
    return knex.transaction(async (db) => {
      await repository.setWritten(this.roundId, slotId, writtenSha256, db);
      if (card) await cards.repository.happened(card.cardKey, 'touched', null, null, db);
    });
  }

  progress(slotId: string, phase: Phase, done: number, total: number): void {
    const { live, runs } = this.rounds;
    if (phase === 'verifying' && !this.turned.has(slotId)) this.turned.set(slotId, Date.now());
    const fresh = live.note(this.roundId, slotId, phase, done, total);
    if (fresh) void this.enter(slotId, phase);
    else if (Date.now() - this.lastSent > TELL_EVERY) {
      this.lastSent = Date.now();
      void runs.repository.advance(this.roundId, slotId, done).catch(() => undefined);
      void this.send('figures');
    }
  }

  /** Notes how a card ended; the first word about a card counts. */
  outcome(slotId: string, outcome: CardOutcome, octets = 0): void {
    const { events } = this.rounds;
    const card = this.card(slotId);
    if (!card || this.outcomes.has(slotId)) return;
    const end = this.endOf(slotId, outcome, octets);
    const work = untilRecorded(this.rounds, () => this.record(card, outcome, end)).then(async () => {
      await this.send('state');
      events.send({ type: 'log' });
      events.send({ type: 'progress', batchId: this.batchId });
      events.send({ type: 'cards' });
      // Its slot is free for the next card, also while the others go on.
      events.send({ type: 'slots' });
    });
    // Seen by whoever waits for `settled`.
    work.catch(() => undefined);
    this.outcomes.set(slotId, work);
  }

  /** Waits until every outcome is on record. @throws when the program stops before */
  async settled(): Promise<void> {
    await Promise.all(this.outcomes.values());
  }

  private async enter(slotId: string, phase: Phase): Promise<void> {
    await this.rounds.runs.repository.step(this.roundId, slotId, phase).catch(() => undefined);
    await this.send('state');
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
      state: itemStates[outcome.state],
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
    const { rounds, roundId } = this;
    const { slotId, deviceId, hostName } = card;
    const text = {
      verified: `The card of ${hostName} was written and verified.${end.pastCache === false ? ` ${CACHED}` : ''}`,
      failed: `The card of ${hostName} failed: ${end.message}`,
      cancelled: `The card of ${hostName} was left unfinished: the round was cancelled.`,
    }[outcome.state];
    await rounds.knex.transaction(async (db) => {
      if (!(await rounds.runs.repository.endItem(roundId, slotId, end, db))) return;
      await rounds.repository.keepEnd(roundId, slotId, end, db);
      // A card that was refused before its first octet was touched stays what it was.
      if (outcome.state === 'verified')
        await rounds.cards.repository.happened(
          card.cardKey,
          'verified',
          { deviceId, roundId },
          outcome.content,
          db,
        );
      await rounds.log.add(
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

  /** Tells the browsers how the round stands; figures are worth nothing later, states are kept for them. */
  private async send(what: 'figures' | 'state'): Promise<void> {
    const { repository, live, events } = this.rounds;
    const round = await repository.find(this.roundId).catch(() => null);
    if (!round) return;
    const event = { type: 'round', round: live.overlay(round) } as const;
    if (what === 'state') events.send(event);
    else events.tell(event);
  }
}
