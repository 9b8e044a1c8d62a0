import {
  CardError,
  overrules,
  refuseMedium,
  shelvedBase,
  writeGang,
  type CardHandle,
  type CardOutcome,
  type GangCard,
} from '@nest-mark/station';
import type { Knex } from 'knex';
import type { ArmedCard } from './repository';
import { reasonOf } from '../platform/http/problems';
import type { RunControl } from '../platform/runs/control';
import type { Run } from '../platform/runs/model';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { armedSettings, forgetArmed } from './armed';
import { cardBase, patchesOf, writtenDigest, type CardBase } from '../cards';
import type { Rounds } from './domain';
import { untilRecorded } from '../platform/queue/until-recorded';
import { RoundFollower } from './follower';

/** Milliseconds after which an armed round that did not begin is not begun any more: the cards may be others now. */
const ARMED_LASTS = 2 * 60_000;

/** Opens a card after looking at every guard once more. @throws CardError */
async function openCard(
  rounds: Rounds,
  card: ArmedCard,
  imageSize: number,
  largest: number,
): Promise<CardHandle> {
  const slot = (await rounds.reader.list('anew')).find((candidate) => candidate.id === card.slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, imageSize, largest) : null;
  if (refusal && !overrules(card.overrule, refusal))
    throw new CardError(refusal.code === 'small' ? 'small' : 'protected', refusal.message);
  return rounds.reader.open(card.slotId, card.identity);
}

interface Work {
  rounds: Rounds;
  roundId: string;
  follower: RoundFollower;
  control: RunControl;
  /** Gangs that share the memory. */
  gangs: number;
}

/** The image that was confirmed, if it is still just that. @throws CardError */
async function armedBase(rounds: Rounds, imageId: string, sha256: string): Promise<CardBase> {
  const base = await untilRecorded(rounds, () => cardBase(rounds.cards, imageId));
  if (base.facts.rawSha256 !== sha256)
    throw new CardError('image', 'The image is another one than when the round was armed. Arm it again.');
  return base;
}

/** Writes those cards of a round that get one image. */
async function writeGroup(work: Work, base: CardBase, cards: readonly ArmedCard[]): Promise<void> {
  const { rounds, follower, control } = work;
  const { facts, folder } = base;
  // Before a card is opened, so that nothing is open when it fails.
  const { keepBlocks, inFlight, largestGB } = await untilRecorded(rounds, () =>
    rounds.settings.repository.station(),
  );
  const gang: GangCard[] = [];
  for (const card of cards)
    try {
      const { settings, own } = await untilRecorded(rounds, () =>
        armedSettings(rounds, work.roundId, card.slotId),
      );
      const patches = await patchesOf(base, { method: card.method, own }, settings);
      const digest = writtenDigest(facts.rawSha256, patches);
      gang.push({
        id: card.slotId,
        handle: await untilRecorded(rounds, () => openCard(rounds, card, facts.rawSize, largestGB * 1e9)),
        patches,
        // A database that is away for a moment delays the card; its octets stay as they are until it is on record.
        beforeTouch: () => untilRecorded(rounds, () => follower.touching(card.slotId, digest)),
      });
    } catch (error) {
      follower.outcome(card.slotId, failureOf(error));
    }
  follower.start(gang.map(({ id }) => id));
  try {
    await writeGang(shelvedBase(folder, facts), gang, {
      signal: control.signal,
      pause: control.pause,
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

const failureOf = (error: unknown): CardOutcome => ({
  state: 'failed',
  code: error instanceof CardError ? error.code : 'io',
  message: reasonOf(error),
});

/** Writes the cards of a round; how each of them ended is on record when it returns. */
async function writeCards(
  rounds: Rounds,
  handle: RunHandle,
  follower: RoundFollower,
  armed: readonly ArmedCard[],
): Promise<void> {
  const { run, control } = handle;
  if (control.signal.aborted) {
    for (const card of armed) follower.outcome(card.slotId, { state: 'cancelled' });
    return;
  }
  try {
    const age = await untilRecorded(rounds, () => rounds.runs.repository.age(run.id));
    if (age > ARMED_LASTS)
      throw new CardError(
        'changed',
        'The round was armed too long ago and did not begin. Nothing was erased. Look at the cards and arm it again.',
      );
    const groups = byImage(armed);
    const work: Work = { rounds, roundId: run.id, follower, control, gangs: groups.length };
    await Promise.all(
      groups.map(async ({ imageId, sha256, cards }) => {
        try {
          await writeGroup(work, await armedBase(rounds, imageId, sha256), cards);
        } catch (error) {
          for (const card of cards) follower.outcome(card.slotId, failureOf(error));
        }
      }),
    );
  } catch (error) {
    for (const card of armed) follower.outcome(card.slotId, failureOf(error));
  }
}

/** Tells the browsers how a round stands. */
async function tellRound({ repository, events, live }: Rounds, roundId: string): Promise<void> {
  const round = await repository.find(roundId).catch(() => null);
  if (round) events.send({ type: 'round', round: live.overlay(round) });
}

/** Says of a round's cards that the program stopped; none of them counts as finished, and people are told. */
async function interrupted(rounds: Rounds, run: Run, db: Knex): Promise<string> {
  const message = 'The program stopped while this card was being written. It does not start; write it again.';
  const round = await rounds.repository.find(run.id);
  for (const card of round?.cards ?? []) {
    if (!(await rounds.runs.repository.endItem(run.id, card.slotId, { state: 'interrupted', message }, db)))
      continue;
    await rounds.log.add(
      [
        {
          kind: 'card-unfinished',
          batchId: run.batchId ?? '',
          deviceId: card.deviceId,
          cardSerial: card.serial,
          text: 'The program stopped while this card was being written. The card is unfinished.',
        },
      ],
      db,
    );
  }
  await forgetArmed(rounds, run.id, db);
  return 'The program stopped while the cards of this round were being written.';
}

/**
 * The run that writes and verifies the cards of a round, those of one image by one reading of it. It uses what was
 * stored when it was armed and nothing else. A killed one is never taken up by itself: the cards may be others now.
 */
export const roundRun = (rounds: Rounds): KindOfRun => ({
  kind: 'round',
  afterKill: 'interrupt',
  async work(handle): Promise<RunEnd> {
    const { run, control, release } = handle;
    const armed = await untilRecorded(rounds, () => rounds.repository.armed(run.id));
    const follower = new RoundFollower(rounds, run.id, run.batchId ?? '', armed);
    control.pause.onHeld = () => {
      follower.wasHeld();
      rounds.live.restart(run.id);
    };
    control.pause.onGoOn = () => rounds.live.restart(run.id);
    await tellRound(rounds, run.id);
    await writeCards(rounds, handle, follower, armed);
    // What has ended can be held or stopped no more, also while its end is being written down.
    release();
    await follower.settled();
    return { state: control.signal.aborted ? 'cancelled' : 'done', reason: '' };
  },
  held: (run) => void tellRound(rounds, run.id),
  interrupted: (run, db) => interrupted(rounds, run, db),
  atEnd: (run, db) => forgetArmed(rounds, run.id, db),
  afterEnd(run) {
    rounds.live.forget(run.id);
    void tellRound(rounds, run.id).then(() => rounds.events.send({ type: 'slots' }));
  },
});
