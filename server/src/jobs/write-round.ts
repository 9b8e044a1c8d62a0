import type { CardState, Device } from '@nest-mark/core';
import {
  CardError,
  refuseMedium,
  shelvedBase,
  writeGang,
  type CardHandle,
  type CardOutcome,
  type GangCard,
  type Phase,
} from '@nest-mark/station';
import type { ArmedCard } from '../db/rounds';
import { gather, patchesFor } from '../services/card-material';
import { record, type Context } from '../services/context';

/** Opens a card after looking at every guard once more. @throws CardError */
async function openCard(context: Context, card: ArmedCard, imageSize: number): Promise<CardHandle> {
  const slot = (await context.reader.list()).find((candidate) => candidate.id === card.slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, imageSize) : null;
  if (refusal) throw new CardError(refusal.code === 'small' ? 'small' : 'protected', refusal.message);
  return context.reader.open(card.slotId, card.identity);
}

/** Follows one round: keeps its cards' states, the log and the browsers up to date. */
class RoundFollower {
  private queue: Promise<void> = Promise.resolve();
  private lastSent = 0;
  /** When the writing began, and when each slot went over to reading back; milliseconds. */
  private began = Date.now();
  private readonly turned = new Map<string, number>();

  constructor(
    private readonly context: Context,
    private readonly roundId: string,
    private readonly batchId: string,
    private readonly cards: readonly ArmedCard[],
    private readonly nameOf: (deviceId: string) => string,
  ) {}

  /** Starts the clock by which the rates of this bench are learnt. */
  start(): void {
    this.began = Date.now();
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
    const turned = this.turned.get(slotId);
    const took =
      outcome.state === 'verified' && turned !== undefined && octets > 0
        ? { octets, writeSeconds: (turned - this.began) / 1000, verifySeconds: (Date.now() - turned) / 1000 }
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

/** Writes and verifies the cards of a round. */
export async function writeRound(context: Context, roundId: string): Promise<void> {
  const round = await context.rounds.find(roundId);
  // A round that was interrupted is never taken up by itself: the cards may have been changed since.
  if (round?.state !== 'queued') return;
  const stop = new AbortController();
  context.stoppers.set(roundId, stop);
  await context.rounds.setState(roundId, 'running');
  context.events.send({ type: 'round', round: { ...round, state: 'running' } });
  const armed = await context.rounds.armed(roundId);
  const handles: CardHandle[] = [];
  const devices = new Map<string, Device>();
  const follower = new RoundFollower(
    context,
    roundId,
    round.batchId,
    armed,
    (id) => devices.get(id)?.hostName ?? id,
  );
  try {
    const gang: GangCard[] = [];
    try {
      const material = await gather(
        context,
        round.batchId,
        roundId,
        armed.map(({ deviceId }) => deviceId),
      );
      for (const [id, device] of material.devices) devices.set(id, device);
      for (const card of armed)
        try {
          const patches = await patchesFor(context, material, card.deviceId);
          const handle = await openCard(context, card, material.facts.rawSize);
          handles.push(handle);
          gang.push({ id: card.slotId, handle, patches });
        } catch (error) {
          follower.outcome(card.slotId, failureOf(error));
        }
      const { facts, folder } = material;
      follower.start();
      await writeGang(shelvedBase(folder, facts), gang, {
        signal: stop.signal,
        onProgress: (slotId, phase, done, total) => follower.progress(slotId, phase, done, total),
        onOutcome: (slotId, outcome) => follower.outcome(slotId, outcome, facts.rawSize),
      });
    } catch (error) {
      if (gang.length > 0) throw error;
      for (const card of armed) follower.outcome(card.slotId, failureOf(error));
    }
    await follower.settled();
  } finally {
    await Promise.all(handles.map((handle) => handle.close()));
    context.stoppers.delete(roundId);
    context.live.forget(roundId);
  }
  await context.rounds.setState(roundId, stop.signal.aborted ? 'cancelled' : 'done');
  const ended = await context.rounds.find(roundId);
  if (ended) context.events.send({ type: 'round', round: ended });
  context.events.send({ type: 'slots' });
}

const failureOf = (error: unknown): CardOutcome => ({
  state: 'failed',
  code: error instanceof CardError ? error.code : 'io',
  message: error instanceof Error ? error.message : String(error),
});

/** Marks what a killed server left: no card of it counts as finished, and people are told. */
export async function recoverRounds(context: Context): Promise<void> {
  for (const roundId of await context.rounds.open(context.station)) {
    const round = await context.rounds.find(roundId);
    if (!round) continue;
    for (const card of round.cards) {
      if (card.state === 'verified' || card.state === 'failed') continue;
      await context.rounds.setCard(roundId, card.slotId, {
        state: 'unfinished',
        message: 'The program stopped while this card was being written. It does not start; write it again.',
      });
      await record(context, {
        kind: 'card-unfinished',
        batchId: round.batchId,
        deviceId: card.deviceId,
        cardSerial: card.serial,
        text: 'The program stopped while this card was being written. The card is unfinished.',
      });
    }
    await context.rounds.setState(roundId, 'interrupted');
  }
}
