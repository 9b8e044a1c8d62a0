import type { Device } from '@nest-mark/core';
import {
  CardError,
  PauseSwitch,
  refuseMedium,
  shelvedBase,
  writeGang,
  type CardHandle,
  type CardOutcome,
  type GangCard,
} from '@nest-mark/station';
import type { ArmedCard } from '../db/rounds';
import { byImage, gather, patchesFor, type Material } from '../services/card-material';
import { record, type Context } from '../services/context';
import { RoundFollower } from './round-follower';

/** Milliseconds after which an armed round that did not begin is not begun any more: the cards may be others now. */
const ARMED_LASTS = 2 * 60_000;

/** Opens a card after looking at every guard once more. @throws CardError */
async function openCard(context: Context, card: ArmedCard, imageSize: number): Promise<CardHandle> {
  const { largestGB } = await context.settings.bench();
  const slot = (await context.reader.list()).find((candidate) => candidate.id === card.slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, imageSize, largestGB * 1e9) : null;
  if (refusal) throw new CardError(refusal.code === 'small' ? 'small' : 'protected', refusal.message);
  return context.reader.open(card.slotId, card.identity);
}

interface Work {
  context: Context;
  follower: RoundFollower;
  stop: AbortController;
  pause: PauseSwitch;
  /** Gangs that share the memory. */
  gangs: number;
}

/** Writes those cards of a round that get one image. */
async function writeGroup(work: Work, material: Material, cards: readonly ArmedCard[]): Promise<void> {
  const { context, follower } = work;
  const { facts, folder } = material;
  const gang: GangCard[] = [];
  for (const card of cards)
    try {
      const patches = await patchesFor(context, material, card.deviceId);
      gang.push({ id: card.slotId, handle: await openCard(context, card, facts.rawSize), patches });
    } catch (error) {
      follower.outcome(card.slotId, failureOf(error));
    }
  const { keepBlocks, inFlight } = await context.settings.bench();
  follower.start(gang.map(({ id }) => id));
  await writeGang(shelvedBase(folder, facts), gang, {
    signal: work.stop.signal,
    pause: work.pause,
    keepBlocks: keepBlocks / work.gangs,
    inFlight,
    onProgress: (slotId, phase, done, total) => follower.progress(slotId, phase, done, total),
    onOutcome: (slotId, outcome) => follower.outcome(slotId, outcome, facts.rawSize),
  });
}

/** Writes and verifies the cards of a round, those of one image by one reading of it. */
export async function writeRound(context: Context, roundId: string): Promise<void> {
  const round = await context.rounds.find(roundId);
  // A round that was interrupted is never taken up by itself: the cards may have been changed since.
  if (round?.state !== 'queued') return;
  const armed = await context.rounds.armed(roundId);
  const devices = new Map<string, Device>();
  const follower = new RoundFollower(
    context,
    roundId,
    round.batchId,
    armed,
    (id) => devices.get(id)?.hostName ?? id,
  );
  const stop = new AbortController();
  const pause = new PauseSwitch();
  context.stoppers.set(roundId, stop);
  context.pauses.set(roundId, pause);
  try {
    await context.rounds.setState(roundId, 'running');
    context.events.send({ type: 'round', round: { ...round, state: 'running' } });
    pause.onHeld = () => follower.wasHeld();
    if (Date.now() - round.startedAt > ARMED_LASTS)
      throw new CardError(
        'changed',
        'The round was armed too long ago and did not begin. Nothing was erased. Look at the cards and arm it again.',
      );
    const groups = await byImage(context, round.batchId, armed);
    const work: Work = { context, follower, stop, pause, gangs: groups.length };
    await Promise.all(
      groups.map(async ({ imageId, cards }) => {
        try {
          const material = await gather(context, round.batchId, roundId, imageId);
          for (const [id, device] of material.devices) devices.set(id, device);
          await writeGroup(work, material, cards);
        } catch (error) {
          for (const card of cards) follower.outcome(card.slotId, failureOf(error));
        }
      }),
    );
  } catch (error) {
    for (const card of armed) follower.outcome(card.slotId, failureOf(error));
  } finally {
    await follower.settled();
    context.stoppers.delete(roundId);
    context.pauses.delete(roundId);
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
