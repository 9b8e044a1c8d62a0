import type { CardState } from '@nest-mark/core';
import type { CardOutcome, Phase } from '@nest-mark/station';
import type { ArmedCard } from '../db/rounds';
import { record, type Context } from '../services/context';

/** Follows one round: keeps its cards' states, the log and the browsers up to date. */
export class RoundFollower {
  private queue: Promise<void> = Promise.resolve();
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
    private readonly nameOf: (deviceId: string) => string,
  ) {}

  /** Starts the clock of some slots, by which the rates of this bench are learnt. */
  start(slotIds: readonly string[]): void {
    for (const slotId of slotIds) this.began.set(slotId, Date.now());
  }

  /** A round that was held in between teaches no rates. */
  wasHeld(): void {
    this.held = true;
  }

  progress(slotId: string, phase: Phase, done: number, total: number): void {
    if (phase === 'verifying' && !this.turned.has(slotId)) this.turned.set(slotId, Date.now());
    const fresh = this.context.live.note(this.roundId, slotId, phase, done, total);
    if (fresh) this.then(() => this.context.rounds.setCard(this.roundId, slotId, { state: phase }));
    if (fresh || Date.now() - this.lastSent > 200) {
      this.lastSent = Date.now();
      this.then(() => this.send());
    }
  }

  outcome(slotId: string, outcome: CardOutcome, octets = 0): void {
    const began = this.began.get(slotId);
    const turned = this.turned.get(slotId);
    const took =
      outcome.state === 'verified' && began !== undefined && turned !== undefined && octets > 0 && !this.held
        ? { octets, writeSeconds: (turned - began) / 1000, verifySeconds: (Date.now() - turned) / 1000 }
        : null;
    const card = this.cards.find((candidate) => candidate.slotId === slotId);
    if (!card) return;
    const name = this.nameOf(card.deviceId);
    const state: CardState = outcome.state;
    const message = outcome.state === 'failed' ? outcome.message : '';
    const text = {
      verified: `The card of ${name} was written and verified.`,
      failed: `The card of ${name} failed: ${message}`,
      cancelled: `The card of ${name} was left unfinished: the round was cancelled.`,
    }[outcome.state];
    this.then(async () => {
      await this.context.rounds.setCard(this.roundId, slotId, {
        state,
        message,
        share: outcome.state === 'verified' ? 1 : 0,
        fault: outcome.state === 'failed' ? outcome.code : null,
      });
      if (took) await this.context.rounds.setRates(this.roundId, slotId, took);
      await record(this.context, {
        kind: `card-${outcome.state}`,
        batchId: this.batchId,
        deviceId: card.deviceId,
        cardSerial: card.identity.serial,
        text,
      });
      await this.send();
      this.context.events.send({ type: 'progress', batchId: this.batchId });
      this.context.events.send({ type: 'cards' });
      // Its slot is free for the next card, also while the others go on.
      this.context.events.send({ type: 'slots' });
    });
  }

  /** Waits until everything is written down. */
  settled(): Promise<void> {
    return this.queue;
  }

  private then(work: () => Promise<void>): void {
    this.queue = this.queue.then(work);
    // Seen by whoever waits for `settled`.
    this.queue.catch(() => undefined);
  }

  private async send(): Promise<void> {
    const round = await this.context.rounds.find(this.roundId);
    if (round) this.context.events.send({ type: 'round', round: this.context.live.overlay(round) });
  }
}
