import { randomUUID } from 'node:crypto';
import {
  armingPhrase,
  cardAdvice,
  decimalSize,
  LOOK_AHEAD,
  LOOK_LASTS,
  settingsOf,
  type ArmRound,
  type CardRecord,
  type Device,
  type FirstBootSettings,
  type PlanView,
  type Proposal,
  type ProposedCard,
  type ResumeRound,
  type Round,
} from '@nest-mark/core';
import {
  CardError,
  overrules,
  refuseMedium,
  sameMedium,
  samePlace,
  type Medium,
  type MediumIdentity,
  type Refusal,
  type Slot,
} from '@nest-mark/station';
import type { Knex } from 'knex';
import type { StoredBatch } from '../db/batches';
import type { ArmedCard, HeldCard } from '../db/rounds';
import { Problem } from '../http/problems';
import { addJob } from '../jobs/queue';
import { keepArmed } from './armed';
import { cardSettings, gather, type Material } from './card-material';
import { keyFor, recordsIn, refuseRecord, verifiedIn } from './cards';
import type { Context } from './context';
import { findingsOf, inShort, needBatch, planView, stoppers } from './plans';
import { VaultError } from './vault';

interface Readiness {
  batch: StoredBatch;
  view: PlanView;
  /** Versions of the networks that the rules saw. */
  networks: ReadonlyMap<string, number>;
  blockers: string[];
}

/** Why a batch cannot be written now, and its plan with its images. */
async function readiness(context: Context, batchId: string): Promise<Readiness> {
  const networks = new Map((await context.networks.list()).map(({ id, version }) => [id, version]));
  const batch = await needBatch(context, batchId);
  const view = await planView(context, batch);
  const blockers = inShort(stoppers(await findingsOf(view)).map((finding) => finding.message));
  return { batch, view, networks, blockers };
}

/** Refuses what a plan's findings forbid: writing, and handing out what would be written. @throws Problem */
export async function needReady(context: Context, batchId: string, nothing: string): Promise<Readiness> {
  const ready = await readiness(context, batchId);
  if (ready.blockers.length > 0)
    throw new Problem(
      409,
      'plan-stops',
      `${nothing} The plan cannot be written yet: ${ready.blockers.join(' ')}`,
    );
  return ready;
}

const imageOf = ({ plan, images }: PlanView, device: Device): PlanView['images'][number] | undefined =>
  images.find(({ id }) => id === settingsOf(plan, device).imageId);

const imageSizeOf = (view: PlanView, device: Device): number => imageOf(view, device)?.rawSize ?? 0;

/** Kind of a card in words, by which rates are learnt: its model with the size that sellers print on it. */
const cardKind = ({ model, identity }: Medium): string =>
  `${model.trim() || 'card'}, ${decimalSize(identity.size)}`;

/** Whether two identities may be one medium, as two stations see it: by serial, or at one place of one computer. */
const maybeSame = (a: MediumIdentity, b: MediumIdentity): boolean =>
  a.size === b.size && (a.serial !== '' ? a.serial === b.serial : a.path === b.path);

/** Why the card of a slot is not free; null when it is. */
export function heldBy(
  context: Context,
  inUse: readonly HeldCard[],
  slotId: string,
  identity: MediumIdentity | null,
): string | null {
  if (context.proving.has(slotId)) return 'The card in this slot is being proved.';
  if (inUse.some((held) => held.station === context.station && held.slotId === slotId))
    return 'A round is using this slot.';
  const elsewhere = identity && inUse.find((held) => maybeSame(held.identity, identity));
  return elsewhere ? `This card is being written by the station "${elsewhere.station}".` : null;
}

/**
 * The next cards: the first devices without a verified card, one for each slot with a fit medium. A medium that was
 * verified for some device is left alone: it is waiting to be taken out, and erasing it has to be asked for.
 */
export async function proposeRound(context: Context, batchId: string): Promise<Proposal> {
  const at = Date.now();
  const { blockers, view } = await readiness(context, batchId);
  const [cards, inUse, slots, { largestGB }] = await Promise.all([
    context.rounds.latestCards(batchId),
    context.rounds.inUse(),
    context.reader.list(),
    context.settings.bench(),
  ]);
  const busy = new Set(['queued', 'writing', 'verifying', 'verified']);
  const queue = view.plan.devices.filter((device) => !busy.has(cards.get(device.id)?.state ?? ''));
  const waiting = queue.length;
  const records = await recordsIn(context, slots);
  const verified = await verifiedIn(context, slots, records);
  const proposed = slots.map(({ id, title, medium }): ProposedCard => {
    const known = records.get(id);
    const [next] = queue;
    const never = medium && (heldBy(context, inUse, id, medium.identity) ?? refuseRecord(known));
    const guard = medium && refuseMedium(medium, next ? imageSizeOf(view, next) : 0, largestGB * 1e9);
    const refusal = never ?? guard?.message ?? null;
    const verifiedFor = verified.get(id) ?? null;
    // A card that should be retired can be chosen, but is not proposed.
    const fit = medium && !refusal && !verifiedFor && !(known && cardAdvice(known));
    const device = fit ? queue.shift() : undefined;
    return {
      slotId: id,
      slotTitle: title,
      medium,
      deviceId: device?.id ?? null,
      refusal,
      overruledBy: never ? null : (guard?.overruledBy ?? null),
      record: known ?? null,
      verifiedFor,
    };
  });
  return { cards: proposed, blockers, waiting, at };
}

/** @throws Problem when the request itself is wrong: not confirmed, out of date, or with something named twice */
function checkRequest(request: ArmRound): void {
  if (request.confirm.trim().toLowerCase() !== armingPhrase(request.cards.length))
    throw new Problem(
      422,
      'not-confirmed',
      `Nothing was erased. Type "${armingPhrase(request.cards.length)}" to confirm.`,
    );
  if (request.lookedAt > Date.now() + LOOK_AHEAD)
    throw new Problem(
      422,
      'look-ahead',
      'Nothing was erased. The look at these cards lies in the future: compare the clocks of this computer and of the browser’s, then look again.',
    );
  if (Date.now() - request.lookedAt > LOOK_LASTS)
    throw new Problem(
      409,
      'look-again',
      `Nothing was erased. You looked at these cards more than ${String(LOOK_LASTS / 60_000)} minutes ago. Look again.`,
    );
  if (
    new Set(request.cards.map((card) => card.slotId)).size !== request.cards.length ||
    new Set(request.cards.map((card) => card.deviceId)).size !== request.cards.length
  )
    throw new Problem(
      422,
      'card-twice',
      'Nothing was erased. A slot or a device is named twice in this round.',
    );
}

/** Refuses a medium that a guard speaks against, unless the person overruled it and may. @throws Problem */
export function needFit(title: string, refusal: Refusal | null, overrule: string | undefined): void {
  if (!refusal || overrules(overrule, refusal)) return;
  const asked =
    refusal.overruledBy === null ? '' : ` If nothing on it is wanted, type "${refusal.overruledBy}".`;
  throw new Problem(409, `card-${refusal.code}`, `Nothing was erased. ${title}: ${refusal.message}${asked}`);
}

/**
 * The medium in a slot, if it is the one that was looked at, with the same things on it.
 * @param slot as it was looked at anew just now
 * @throws Problem
 */
export function needSame(slot: Slot | undefined, slotId: string, identity: MediumIdentity): Medium {
  const title = slot?.title ?? slotId;
  if (!slot?.medium)
    throw new Problem(
      409,
      'card-missing',
      `Nothing was erased. There is no card in ${title}. Put it back, or leave it out.`,
    );
  if (!samePlace(slot.medium.identity, identity))
    throw new Problem(
      409,
      'card-changed',
      `Nothing was erased. ${title} holds another card than the one you looked at. Look again.`,
    );
  if (slot.medium.identity.content === '')
    throw new Problem(
      409,
      'card-unreadable',
      `Nothing was erased. The card in ${title} cannot be read, so it cannot be told from another one. Take it out and put it in again; if that does not help, this account may lack the right to read it.`,
    );
  if (!sameMedium(slot.medium.identity, identity))
    throw new Problem(
      409,
      'card-changed',
      `Nothing was erased. The card in ${title} is another one than you looked at, or other things are on it now: it holds ${slot.medium.holds}. Look again.`,
    );
  return slot.medium;
}

/** Looks at one card of a request. @throws Problem with the guard that it does not pass */
function checkCard(
  card: ArmRound['cards'][number],
  slot: Slot | undefined,
  imageSize: number | null,
  known: CardRecord | undefined,
  largest: number,
): Medium {
  const title = slot?.title ?? card.slotId;
  if (imageSize === null)
    throw new Problem(
      422,
      'device-missing',
      'Nothing was erased. A device of this round is no longer in the plan.',
    );
  const medium = needSame(slot, card.slotId, card.identity);
  needFit(title, refuseMedium(medium, imageSize, largest), card.overrule);
  const retired = refuseRecord(known);
  if (retired) throw new Problem(409, 'card-retired', `Nothing was erased. ${title}: ${retired}`);
  return medium;
}

/** A card with everything that was confirmed for it. */
interface Confirmed extends ArmedCard {
  medium: Medium;
  settings: FirstBootSettings;
}

/** What is confirmed for each card, from the plan as the rules have just seen it. @throws Problem */
async function confirmed(
  context: Context,
  roundId: string,
  ready: Readiness,
  request: ArmRound,
): Promise<Confirmed[]> {
  const { view, batch } = ready;
  await needFree(context, request.cards, context.knex);
  // What was described earlier may be of another card; each medium is looked at anew.
  const slots = new Map((await context.reader.list('anew')).map((slot) => [slot.id, slot]));
  const records = await recordsIn(context, [...slots.values()]);
  const devices = new Map(view.plan.devices.map((device) => [device.id, device]));
  const { largestGB } = await context.settings.bench();
  const materials = new Map<string, Material>();
  const cards: Confirmed[] = [];
  for (const card of request.cards) {
    const slot = slots.get(card.slotId);
    const device = devices.get(card.deviceId);
    const imageSize = device ? imageSizeOf(view, device) : null;
    const medium = checkCard(card, slot, imageSize, records.get(card.slotId), largestGB * 1e9);
    const imageId = device ? settingsOf(view.plan, device).imageId : null;
    if (!device || imageId === null) continue;
    try {
      const material = materials.get(imageId) ?? (await gather(context, batch, roundId, imageId));
      materials.set(imageId, material);
      const key = await keyFor(context, medium);
      cards.push({
        slotId: card.slotId,
        slotTitle: slot?.title ?? '',
        deviceId: card.deviceId,
        hostName: device.hostName,
        identity: medium.identity,
        cardKind: cardKind(medium),
        // Two cards with one label are two cards: one of them is a copy.
        cardKey: cards.some(({ cardKey }) => cardKey === key) ? `own-${randomUUID()}` : key,
        imageId: material.imageId,
        imageSha256: material.facts.rawSha256,
        method: material.method,
        marked: material.facts.bootOffset !== null,
        overrule: card.overrule ?? null,
        medium,
        settings: await cardSettings(context, material, device),
      });
    } catch (error) {
      if (error instanceof CardError || error instanceof VaultError)
        throw new Problem(409, 'card-not-ready', `Nothing was erased. ${error.message}`);
      throw error;
    }
  }
  return cards;
}

/** Keeps what was confirmed from being changed while it is written down. @throws Problem when it was changed already */
async function holdStill(
  context: Context,
  ready: Readiness,
  cards: readonly Confirmed[],
  db: Knex,
): Promise<void> {
  const changed = (what: string): Problem =>
    new Problem(
      409,
      'plan-changed',
      `Nothing was erased. ${what} was changed while the round was armed. Look at it and arm again.`,
    );
  if ((await context.batches.hold(ready.batch.id, db)) !== ready.batch.version) throw changed('The plan');
  const wanted = [...ready.networks.keys()];
  const versions = await context.networks.hold(wanted, db);
  if (wanted.some((id) => versions.get(id) !== ready.networks.get(id)))
    throw changed('A network of the shelf');
  for (const [imageId, sha256] of new Map(cards.map((card) => [card.imageId, card.imageSha256])))
    if ((await context.images.hold(imageId, db)) !== sha256) throw changed('An image of the shelf');
}

/** Refuses slots, cards and devices that a round has already. @throws Problem */
async function needFree(
  context: Context,
  cards: readonly (Pick<ArmRound['cards'][number], 'slotId' | 'deviceId' | 'identity'> & {
    slotTitle?: string;
    hostName?: string;
  })[],
  db: Knex,
): Promise<void> {
  const inUse = await context.rounds.inUse(db);
  for (const { slotId, slotTitle = slotId, identity, deviceId, hostName = 'this device' } of cards) {
    const held = heldBy(context, inUse, slotId, identity);
    if (held)
      throw new Problem(409, 'slot-busy', `Nothing was erased. ${slotTitle}: ${held} Wait for that to end.`);
    if (inUse.some((other) => other.deviceId === deviceId))
      throw new Problem(
        409,
        'device-busy',
        `Nothing was erased. A card of ${hostName} is being written already. Wait for that to end.`,
      );
  }
}

/**
 * Arms a round and starts it. Every guard is looked at again here, and once more when a card is opened. What will be
 * written is stored with it, and is all that the writing uses.
 * @throws Problem when the phrase is not the right one, the plan has a finding that stops, or a medium is not fit
 */
export async function armRound(context: Context, batchId: string, request: ArmRound): Promise<Round> {
  const ready = await needReady(context, batchId, 'Nothing was erased.');
  checkRequest(request);
  const id = randomUUID();
  const cards = await confirmed(context, id, ready, request);
  await context.knex.transaction(async (db) => {
    // Two people arming at once must not get the same slot.
    await context.rounds.lockSlots(db);
    await needFree(context, cards, db);
    await holdStill(context, ready, cards, db);
    for (const { cardKey, medium } of cards)
      await context.cards.seen(cardKey, medium.model, medium.identity.size, db);
    await context.rounds.create(id, batchId, context.station, cards, db);
    for (const { slotId, settings } of cards) await keepArmed(context, id, slotId, settings, db);
    await context.batches.resetProgress(
      cards.map((card) => card.deviceId),
      db,
    );
    await context.log.add(
      cards.map(({ deviceId, identity, slotTitle, medium, overrule }) => ({
        kind: 'armed',
        batchId,
        deviceId,
        cardSerial: identity.serial,
        text: `Armed: the card in ${slotTitle}, which held ${medium.holds}, will be erased.${medium.caution !== null && overrule !== null ? ` It was overruled that ${medium.caution}.` : ''}`,
      })),
      db,
    );
    await addJob(db, context.station, 'write-round', { roundId: id });
  });
  context.events.send({ type: 'log' });
  const round = await context.rounds.find(id);
  if (!round) throw new Error('a round that was just made is missing');
  context.events.send({ type: 'round', round });
  return round;
}

/**
 * Starts a round again with the cards that did not get finished, if they are still in their slots.
 * @throws Problem as `armRound`
 */
export async function resumeRound(context: Context, roundId: string, request: ResumeRound): Promise<Round> {
  const round = await context.rounds.find(roundId);
  if (!round) throw new Problem(404, 'round-missing', 'There is no such round.');
  if ((await context.rounds.stationOf(roundId)) !== context.station)
    throw new Problem(409, 'round-elsewhere', 'This round is of another station. Write its cards there.');
  const { only } = request;
  if (only === undefined && (round.state === 'queued' || round.state === 'running'))
    throw new Problem(409, 'round-running', 'This round is still being written.');
  const unfinished = (await context.rounds.unfinished(round)).filter(
    ({ slotId }) => only === undefined || slotId === only,
  );
  if (unfinished.length === 0)
    throw new Problem(
      409,
      'round-complete',
      'Every card of this round was verified or written in a later round; there is nothing to resume.',
    );
  const looked = new Map(request.media.map((medium) => [medium.slotId, medium]));
  const cards = unfinished.map(({ slotId, deviceId, identity }) => {
    const medium = looked.get(slotId);
    // A card that was written in part is not what it was, so what the person looked at now counts.
    if (!medium || !samePlace(medium.identity, identity))
      throw new Problem(
        409,
        'card-changed',
        'Nothing was erased. A slot of this round holds another card than it was armed with, or none. Put the card back and look again, or write the device anew with another one.',
      );
    const { overrule } = medium;
    return { slotId, deviceId, identity: medium.identity, ...(overrule === undefined ? {} : { overrule }) };
  });
  return armRound(context, round.batchId, { cards, confirm: request.confirm, lookedAt: request.lookedAt });
}
