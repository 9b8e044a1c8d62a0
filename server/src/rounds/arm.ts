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
  type OwnMethod,
  type PlanView,
  type Proposal,
  type ProposedCard,
  type ResumeRound,
  type Round,
} from '@nest-mark/core';
import { CardError, refuseMedium, samePlace, type Medium, type Slot } from '@nest-mark/station';
import type { Knex } from 'knex';
import type { StoredBatch } from '../plans';
import type { ArmedCard } from './repository';
import { problem, type Problem } from '../platform/http/problems';
import { keepArmed } from './armed';
import {
  cardSettings,
  filesBy,
  isMarked,
  gather,
  heldBy,
  keyFor,
  needFit,
  needSame,
  recordsIn,
  refuseRecord,
  verifiedIn,
  type Material,
} from '../cards';
import type { Rounds } from './domain';
import { findingsOf, inShort, needBatch, planView, stoppers } from '../plans';
import { VaultError } from '../platform/vault/seal';

interface Readiness {
  batch: StoredBatch;
  view: PlanView;
  /** Versions of the networks that the rules saw. */
  networks: ReadonlyMap<string, number>;
  blockers: string[];
}

/** Why a batch cannot be written now, and its plan with its images. */
async function readiness(rounds: Rounds, batchId: string): Promise<Readiness> {
  const networks = new Map(
    (await rounds.plans.networks.repository.list()).map(({ id, version }) => [id, version]),
  );
  const batch = await needBatch(rounds.plans, batchId);
  const view = await planView(rounds.plans, batch);
  const blockers = inShort(stoppers(await findingsOf(view)).map((finding) => finding.message));
  return { batch, view, networks, blockers };
}

/** Refuses what a plan's findings forbid: writing, and handing out what would be written. @throws Problem */
export async function needReady(rounds: Rounds, batchId: string, harmless: string): Promise<Readiness> {
  const ready = await readiness(rounds, batchId);
  if (ready.blockers.length > 0) throw problem('plan-stops', { harmless, why: ready.blockers.join(' ') });
  return ready;
}

const imageOf = ({ plan, images }: PlanView, device: Device): PlanView['images'][number] | undefined =>
  images.find(({ id }) => id === settingsOf(plan, device).imageId);

const imageSizeOf = (view: PlanView, device: Device): number => imageOf(view, device)?.rawSize ?? 0;

/** Kind of a card in words, by which rates are learnt: its model with the size that sellers print on it. */
const cardKind = ({ model, identity }: Medium): string =>
  `${model.trim() || 'card'}, ${decimalSize(identity.size)}`;

/**
 * The next cards: the first devices without a verified card, one for each slot with a fit medium. A medium that was
 * verified for some device is left alone: it is waiting to be taken out, and erasing it has to be asked for.
 */
export async function proposeRound(rounds: Rounds, batchId: string): Promise<Proposal> {
  const at = await rounds.runs.repository.now();
  const { blockers, view } = await readiness(rounds, batchId);
  const [cards, inUse, slots, { largestGB }] = await Promise.all([
    rounds.repository.latestCards(batchId),
    rounds.runs.repository.heldSlots(),
    rounds.reader.list(),
    rounds.settings.repository.station(),
  ]);
  const busy = new Set(['queued', 'writing', 'verifying', 'verified']);
  const queue = view.plan.devices.filter((device) => !busy.has(cards.get(device.id)?.state ?? ''));
  const waiting = queue.length;
  const records = await recordsIn(rounds.cards, slots);
  const verified = await verifiedIn(rounds.cards, slots, records);
  const proposed = slots.map(({ id, title, medium }): ProposedCard => {
    const known = records.get(id);
    const [next] = queue;
    const never = medium && (heldBy(rounds, inUse, id, medium.identity) ?? refuseRecord(known));
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
function checkRequest(request: ArmRound, now: number): void {
  if (request.confirm.trim().toLowerCase() !== armingPhrase(request.cards.length))
    throw problem('not-confirmed', { phrase: armingPhrase(request.cards.length) });
  if (request.lookedAt > now + LOOK_AHEAD) throw problem('look-ahead');
  if (now - request.lookedAt > LOOK_LASTS)
    throw problem('look-again', { minutes: String(LOOK_LASTS / 60_000) });
  if (
    new Set(request.cards.map((card) => card.slotId)).size !== request.cards.length ||
    new Set(request.cards.map((card) => card.deviceId)).size !== request.cards.length
  )
    throw problem('card-twice');
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
  if (imageSize === null) throw problem('device-gone');
  const medium = needSame(slot, card.slotId, card.identity);
  needFit(title, refuseMedium(medium, imageSize, largest), card.overrule);
  const retired = refuseRecord(known);
  if (retired) throw problem('card-retired', { title, why: retired });
  return medium;
}

/** A card with everything that was confirmed for it. */
interface Confirmed extends ArmedCard {
  medium: Medium;
  settings: FirstBootSettings;
  own: OwnMethod | null;
  /** Where the partition begins that first-boot files go onto. */
  bootOffset: number | null;
}

/** What is confirmed for each card, from the plan as the rules have just seen it. @throws Problem */
async function confirmed(
  rounds: Rounds,
  roundId: string,
  ready: Readiness,
  request: ArmRound,
): Promise<Confirmed[]> {
  const { view, batch } = ready;
  await needFree(rounds, request.cards, rounds.knex);
  // What was described earlier may be of another card; each medium is looked at anew.
  const slots = new Map((await rounds.reader.list('anew')).map((slot) => [slot.id, slot]));
  const records = await recordsIn(rounds.cards, [...slots.values()]);
  const devices = new Map(view.plan.devices.map((device) => [device.id, device]));
  const { largestGB } = await rounds.settings.repository.station();
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
      const material = materials.get(imageId) ?? (await gather(rounds.cards, batch, roundId, imageId));
      materials.set(imageId, material);
      const key = await keyFor(rounds.cards, medium);
      const settings = await cardSettings(rounds.cards, material, device);
      // Whether a description can say everything shows only with the secrets; then is too late.
      if (material.own) await filesBy(material, material, settings);
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
        marked: isMarked(material.facts),
        overrule: card.overrule ?? null,
        medium,
        settings,
        own: material.own,
        bootOffset: material.facts.bootOffset,
      });
    } catch (error) {
      if (error instanceof CardError || error instanceof VaultError)
        throw problem('card-not-ready', { harmless: 'Nothing was erased.', why: error.message });
      throw error;
    }
  }
  return cards;
}

/** Keeps what was confirmed from being changed while it is written down. @throws Problem when it was changed already */
async function holdStill(
  rounds: Rounds,
  ready: Readiness,
  cards: readonly Confirmed[],
  db: Knex,
): Promise<void> {
  const changed = (what: string): Problem => problem('changed-while-arming', { what });
  if ((await rounds.plans.repository.hold(ready.batch.id, db)) !== ready.batch.version)
    throw changed('The plan');
  const wanted = [...ready.networks.keys()];
  const versions = await rounds.plans.networks.repository.hold(wanted, db);
  if (wanted.some((id) => versions.get(id) !== ready.networks.get(id)))
    throw changed('A network of the shelf');
  for (const [imageId, card] of new Map(cards.map((one) => [one.imageId, one]))) {
    const image = await rounds.plans.images.repository.hold(imageId, db);
    if (image?.sha256 !== card.imageSha256 || image.bootOffset !== card.bootOffset)
      throw changed('An image of the shelf');
  }
}

/** Refuses slots, cards and devices that a round has already. @throws Problem */
async function needFree(
  rounds: Rounds,
  cards: readonly (Pick<ArmRound['cards'][number], 'slotId' | 'deviceId' | 'identity'> & {
    slotTitle?: string;
    hostName?: string;
  })[],
  db: Knex,
): Promise<void> {
  const inUse = await rounds.runs.repository.heldSlots(db);
  for (const { slotId, slotTitle = slotId, identity, deviceId, hostName = 'this device' } of cards) {
    const held = heldBy(rounds, inUse, slotId, identity);
    if (held) throw problem('slot-busy', { title: slotTitle, held });
    if (inUse.some((other) => other.deviceId === deviceId)) throw problem('device-busy', { hostName });
  }
}

/**
 * Arms a round and starts it. Every guard is looked at again here, and once more when a card is opened. What will be
 * written is stored with it, and is all that the writing uses.
 * @throws Problem when the phrase is not the right one, the plan has a finding that stops, or a medium is not fit
 */
export async function armRound(
  rounds: Rounds,
  batchId: string,
  request: ArmRound,
  begunBy: string,
): Promise<Round> {
  const ready = await needReady(rounds, batchId, 'Nothing was erased.');
  checkRequest(request, await rounds.runs.repository.now());
  const id = randomUUID();
  const cards = await confirmed(rounds, id, ready, request);
  await rounds.knex.transaction(async (db) => {
    // Two people arming at once must not get the same slot.
    await rounds.runs.repository.lockSlots(db);
    await needFree(rounds, cards, db);
    await holdStill(rounds, ready, cards, db);
    for (const { cardKey, medium } of cards)
      await rounds.cards.repository.seen(cardKey, medium.model, medium.identity.size, db);
    await rounds.runs.begin(
      {
        id,
        kind: 'round',
        batchId,
        begunBy,
        items: cards.map(({ slotId, deviceId, identity }) => ({
          subject: slotId,
          deviceId,
          slot: { id: slotId, identity },
        })),
      },
      db,
    );
    await rounds.repository.create(id, batchId, cards, db);
    for (const { slotId, settings, own } of cards) await keepArmed(rounds, id, slotId, { settings, own }, db);
    await rounds.plans.repository.resetProgress(
      cards.map((card) => card.deviceId),
      db,
    );
    await rounds.log.add(
      cards.map(({ deviceId, identity, slotTitle, medium, overrule }) => ({
        kind: 'armed',
        batchId,
        deviceId,
        cardSerial: identity.serial,
        text: `Armed: the card in ${slotTitle}, which held ${medium.holds}, will be erased.${medium.caution !== null && overrule !== null ? ` It was overruled that ${medium.caution}.` : ''}`,
      })),
      db,
    );
    await rounds.log.add(
      cards.flatMap(({ deviceId, identity, slotTitle, medium, overrule }) =>
        medium.caution === null || overrule === null
          ? []
          : [
              {
                kind: 'overruled',
                batchId,
                deviceId,
                cardSerial: identity.serial,
                text: `It was overruled that ${medium.caution} (${slotTitle}); by ${begunBy}.`,
              },
            ],
      ),
      db,
    );
  });
  rounds.events.send({ type: 'log' });
  const round = await rounds.repository.find(id);
  if (!round) throw new Error('a round that was just made is missing');
  rounds.events.send({ type: 'round', round });
  return round;
}

/**
 * Starts a round again with the cards that did not get finished, if they are still in their slots.
 * @throws Problem as `armRound`
 */
export async function resumeRound(
  rounds: Rounds,
  roundId: string,
  request: ResumeRound,
  begunBy: string,
): Promise<Round> {
  const round = await rounds.repository.find(roundId);
  if (!round) throw problem('round-missing');
  if ((await rounds.repository.stationOf(roundId)) !== rounds.station) throw problem('round-elsewhere');
  const { only } = request;
  if (only === undefined && (round.state === 'queued' || round.state === 'running'))
    throw problem('round-running');
  const unfinished = (await rounds.repository.unfinished(round)).filter(
    ({ slotId }) => only === undefined || slotId === only,
  );
  if (unfinished.length === 0) throw problem('round-complete');
  const looked = new Map(request.media.map((medium) => [medium.slotId, medium]));
  const cards = unfinished.map(({ slotId, deviceId, identity }) => {
    const medium = looked.get(slotId);
    // A card that was written in part is not what it was, so what the person looked at now counts.
    if (!medium || !samePlace(medium.identity, identity)) throw problem('round-card-changed');
    const { overrule } = medium;
    return { slotId, deviceId, identity: medium.identity, ...(overrule === undefined ? {} : { overrule }) };
  });
  return armRound(
    rounds,
    round.batchId,
    { cards, confirm: request.confirm, lookedAt: request.lookedAt },
    begunBy,
  );
}
