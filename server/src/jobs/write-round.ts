import {
  CardError,
  overrules,
  PauseSwitch,
  refuseMedium,
  shelvedBase,
  writeGang,
  type CardHandle,
  type CardOutcome,
  type GangCard,
} from '@nest-mark/station';
import type { ArmedCard } from '../db/rounds';
import { armedSettings, forgetArmed } from '../services/armed';
import { cardBase, patchesOf, writtenDigest, type CardBase } from '../services/card-material';
import type { Context } from '../services/context';
import { untilRecorded } from '../services/until-recorded';
import { RoundFollower } from './round-follower';

/** Milliseconds after which an armed round that did not begin is not begun any more: the cards may be others now. */
const ARMED_LASTS = 2 * 60_000;

/** Opens a card after looking at every guard once more. @throws CardError */
async function openCard(
  context: Context,
  card: ArmedCard,
  imageSize: number,
  largest: number,
): Promise<CardHandle> {
  const slot = (await context.reader.list('anew')).find((candidate) => candidate.id === card.slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, imageSize, largest) : null;
  if (refusal && !overrules(card.overrule, refusal))
    throw new CardError(refusal.code === 'small' ? 'small' : 'protected', refusal.message);
  return context.reader.open(card.slotId, card.identity);
}

interface Work {
  context: Context;
  roundId: string;
  follower: RoundFollower;
  stop: AbortController;
  pause: PauseSwitch;
  /** Gangs that share the memory. */
  gangs: number;
}

/** The image that was confirmed, if it is still just that. @throws CardError */
async function armedBase(context: Context, imageId: string, sha256: string): Promise<CardBase> {
  const base = await untilRecorded(context, () => cardBase(context, imageId));
  if (base.facts.rawSha256 !== sha256)
    throw new CardError('image', 'The image is another one than when the round was armed. Arm it again.');
  return base;
}

/** Writes those cards of a round that get one image. */
async function writeGroup(work: Work, base: CardBase, cards: readonly ArmedCard[]): Promise<void> {
  const { context, follower } = work;
  const { facts, folder } = base;
  // Before a card is opened, so that nothing is open when it fails.
  const { keepBlocks, inFlight, largestGB } = await untilRecorded(context, () => context.settings.bench());
  const gang: GangCard[] = [];
  for (const card of cards)
    try {
      const settings = await untilRecorded(context, () => armedSettings(context, work.roundId, card.slotId));
      const patches = await patchesOf(base, card.method, settings);
      const digest = writtenDigest(facts.rawSha256, patches);
      gang.push({
        id: card.slotId,
        handle: await untilRecorded(context, () => openCard(context, card, facts.rawSize, largestGB * 1e9)),
        patches,
        // A database that is away for a moment delays the card; its octets stay as they are until it is on record.
        beforeTouch: () => untilRecorded(context, () => follower.touching(card.slotId, digest)),
      });
    } catch (error) {
      follower.outcome(card.slotId, failureOf(error));
    }
  follower.start(gang.map(({ id }) => id));
  try {
    await writeGang(shelvedBase(folder, facts), gang, {
      signal: work.stop.signal,
      pause: work.pause,
      keepBlocks: keepBlocks / work.gangs,
      inFlight,
      onProgress: (slotId, phase, done, total) => follower.progress(slotId, phase, done, total),
      onOutcome: (slotId, outcome) => follower.outcome(slotId, outcome, facts.rawSize),
    });
  } catch (error) {
    // It closes what it began with; what it did not begin is closed here.
    await Promise.all(gang.map(({ handle }) => handle.close().catch(() => undefined)));
    throw error;
  }
}

/** Cards by the image that was confirmed for them. */
function byImage(cards: readonly ArmedCard[]): { imageId: string; sha256: string; cards: ArmedCard[] }[] {
  const groups = new Map<string, { imageId: string; sha256: string; cards: ArmedCard[] }>();
  for (const card of cards) {
    const known = groups.get(card.imageId);
    if (known) known.cards.push(card);
    else groups.set(card.imageId, { imageId: card.imageId, sha256: card.imageSha256, cards: [card] });
  }
  return [...groups.values()];
}

/**
 * Writes and verifies the cards of a round, those of one image by one reading of it. Uses what was stored when it was
 * armed and nothing else.
 */
export async function writeRound(context: Context, roundId: string): Promise<void> {
  const round = await untilRecorded(context, () => context.rounds.find(roundId));
  // A round that was interrupted is never taken up by itself: the cards may have been changed since.
  if (round?.state !== 'queued') return;
  // Whatever the queue says: another station's cards are not in this reader.
  if ((await untilRecorded(context, () => context.rounds.stationOf(roundId))) !== context.station) return;
  const armed = await untilRecorded(context, () => context.rounds.armed(roundId));
  const follower = new RoundFollower(context, roundId, round.batchId, armed);
  const stop = new AbortController();
  const pause = new PauseSwitch();
  context.stoppers.set(roundId, stop);
  context.pauses.set(roundId, pause);
  try {
    await untilRecorded(context, () => context.rounds.setState(roundId, 'running'));
    context.events.send({ type: 'round', round: { ...round, state: 'running' } });
    pause.onHeld = () => follower.wasHeld();
    if (Date.now() - round.startedAt > ARMED_LASTS)
      throw new CardError(
        'changed',
        'The round was armed too long ago and did not begin. Nothing was erased. Look at the cards and arm it again.',
      );
    const groups = byImage(armed);
    const work: Work = { context, roundId, follower, stop, pause, gangs: groups.length };
    await Promise.all(
      groups.map(async ({ imageId, sha256, cards }) => {
        try {
          await writeGroup(work, await armedBase(context, imageId, sha256), cards);
        } catch (error) {
          for (const card of cards) follower.outcome(card.slotId, failureOf(error));
        }
      }),
    );
  } catch (error) {
    for (const card of armed) follower.outcome(card.slotId, failureOf(error));
  } finally {
    // What has ended can be held or stopped no more, also while its end is being written down.
    context.stoppers.delete(roundId);
    context.pauses.delete(roundId);
  }
  try {
    await follower.settled();
    await untilRecorded(context, () =>
      context.knex.transaction(async (db) => {
        await context.rounds.setState(roundId, stop.signal.aborted ? 'cancelled' : 'done', db);
        await forgetArmed(context, roundId, db);
      }),
    );
  } finally {
    context.live.forget(roundId);
  }
  const ended = await context.rounds.find(roundId).catch(() => null);
  if (ended) context.events.send({ type: 'round', round: ended });
  context.events.send({ type: 'slots' });
}

const failureOf = (error: unknown): CardOutcome => ({
  state: 'failed',
  code: error instanceof CardError ? error.code : 'io',
  message: error instanceof Error ? error.message : String(error),
});

/** Marks what a killed server of this station left: no card of it counts as finished, and people are told. */
export async function recoverRounds(context: Context): Promise<void> {
  for (const roundId of await context.rounds.open(context.station)) {
    const round = await context.rounds.find(roundId);
    if (!round) continue;
    const message =
      'The program stopped while this card was being written. It does not start; write it again.';
    await context.knex.transaction(async (db) => {
      for (const card of round.cards) {
        const end = { state: 'unfinished' as const, message, fault: null, pastCache: null, took: null };
        if (!(await context.rounds.endCard(roundId, card.slotId, end, db))) continue;
        await context.log.add(
          [
            {
              kind: 'card-unfinished',
              batchId: round.batchId,
              deviceId: card.deviceId,
              cardSerial: card.serial,
              text: 'The program stopped while this card was being written. The card is unfinished.',
            },
          ],
          db,
        );
      }
      await context.rounds.setState(roundId, 'interrupted', db);
      await forgetArmed(context, roundId, db);
    });
  }
}
