import { randomUUID } from 'node:crypto';
import {
  armingPhrase,
  checkPlan,
  decimalSize,
  settingsOf,
  type ArmRound,
  type Device,
  type PlanView,
  type Proposal,
  type ProposedCard,
  type Round,
} from '@nest-mark/core';
import { refuseMedium, sameMedium, type Medium, type Slot } from '@nest-mark/station';
import { addJob } from '../jobs/queue';
import { Problem } from '../http/problems';
import { record, type Context } from './context';
import { needBatch, planView, stoppers } from './plans';

/** Why a batch cannot be written now, and its plan with its images. */
async function readiness(context: Context, batchId: string): Promise<{ blockers: string[]; view: PlanView }> {
  const view = await planView(context, await needBatch(context, batchId));
  return { blockers: stoppers(checkPlan(view)).map((finding) => finding.message), view };
}

const imageOf = ({ plan }: PlanView, device: Device): string | null => settingsOf(plan, device).imageId;

const sizeOf = ({ images }: PlanView, imageId: string | null): number =>
  images.find(({ id }) => id === imageId)?.rawSize ?? 0;

/** Kind of a card in words, by which rates are learnt: its model with the size that sellers print on it. */
const cardKind = ({ model, identity }: Medium): string =>
  `${model.trim() || 'card'}, ${decimalSize(identity.size)}`;

const refusalOf = (slot: Slot, imageSize: number, inUse: ReadonlySet<string>): string | null => {
  if (inUse.has(slot.id)) return 'A round is using this slot.';
  return slot.medium ? (refuseMedium(slot.medium, imageSize)?.message ?? null) : null;
};

/**
 * The next cards, all of one image since one image is unpacked for a round: the first devices without a verified card, one for each slot with a fit medium. A medium that was
 * verified for some device is left alone: it is waiting to be taken out, and erasing it has to be asked for.
 */
export async function proposeRound(context: Context, batchId: string): Promise<Proposal> {
  const { blockers, view } = await readiness(context, batchId);
  const { plan } = view;
  const cards = await context.rounds.latestCards(batchId);
  const busy = new Set(['queued', 'writing', 'verifying', 'verified']);
  const waiting = plan.devices.filter((device) => !busy.has(cards.get(device.id)?.state ?? ''));
  const inUse = await context.rounds.slotsInUse();
  const [next] = waiting;
  const imageId = next ? imageOf(view, next) : plan.imageId;
  const imageSize = sizeOf(view, imageId);
  const queue = waiting.filter((device) => imageOf(view, device) === imageId);
  const slots = await context.reader.list();
  const verified = await context.rounds.verifiedFor(slots.map(({ medium }) => medium?.identity.serial ?? ''));
  const proposed = slots.map(({ id, title, medium }): ProposedCard => {
    const refusal = refusalOf({ id, title, medium }, imageSize, inUse);
    const verifiedFor = (medium && verified.get(medium.identity.serial)) ?? null;
    const device = medium && !refusal && !verifiedFor ? queue.shift() : undefined;
    return { slotId: id, slotTitle: title, medium, deviceId: device?.id ?? null, refusal, verifiedFor };
  });
  return { cards: proposed, blockers, waiting: waiting.length };
}

/**
 * Arms a round and starts it. Every guard is looked at again here, and once more when a card is opened.
 * @throws Problem when the phrase is not the right one, the plan has a finding that stops, or a medium is not fit
 */
export async function armRound(context: Context, batchId: string, request: ArmRound): Promise<Round> {
  const { blockers, view } = await readiness(context, batchId);
  const { plan } = view;
  if (blockers.length > 0)
    throw new Problem(
      409,
      'plan-stops',
      `Nothing was erased. The plan cannot be written yet: ${blockers.join(' ')}`,
    );
  if (request.confirm.trim().toLowerCase() !== armingPhrase(request.cards.length))
    throw new Problem(
      422,
      'not-confirmed',
      `Nothing was erased. Type "${armingPhrase(request.cards.length)}" to confirm.`,
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
  const slots = new Map((await context.reader.list()).map((slot) => [slot.id, slot]));
  const devices = new Map(plan.devices.map((device) => [device.id, device]));
  const images = new Set<string | null>();
  for (const card of request.cards) {
    const slot = slots.get(card.slotId);
    const device = devices.get(card.deviceId);
    if (!device)
      throw new Problem(
        422,
        'device-missing',
        'Nothing was erased. A device of this round is no longer in the plan.',
      );
    if (!slot?.medium)
      throw new Problem(
        409,
        'card-missing',
        `Nothing was erased. There is no card in ${slot?.title ?? card.slotId}. Put it back, or leave it out.`,
      );
    if (!sameMedium(slot.medium.identity, card.identity))
      throw new Problem(
        409,
        'card-changed',
        `Nothing was erased. ${slot.title} holds another card than the one you looked at. Look again.`,
      );
    const imageId = imageOf(view, device);
    images.add(imageId);
    const refusal = refuseMedium(slot.medium, sizeOf(view, imageId));
    if (refusal)
      throw new Problem(409, `card-${refusal.code}`, `Nothing was erased. ${slot.title}: ${refusal.message}`);
  }
  if (images.size > 1)
    throw new Problem(
      422,
      'images-mixed',
      'Nothing was erased. The devices of this round have different images; write those of one image at a time.',
    );
  const armed = request.cards.map((card) => {
    const slot = slots.get(card.slotId);
    return { ...card, slotTitle: slot?.title ?? '', cardKind: slot?.medium ? cardKind(slot.medium) : '' };
  });
  const id = randomUUID();
  await context.knex.transaction(async (db) => {
    // Two people arming at once must not get the same slot.
    await context.rounds.lockSlots(db);
    const inUse = await context.rounds.slotsInUse(db);
    const taken = request.cards.find((card) => inUse.has(card.slotId));
    if (taken)
      throw new Problem(
        409,
        'slot-busy',
        `Nothing was erased. ${slots.get(taken.slotId)?.title ?? taken.slotId} is used by another round. Wait for it to end.`,
      );
    await context.rounds.create(id, batchId, context.station, armed, db);
    await context.batches.resetProgress(
      request.cards.map((card) => card.deviceId),
      db,
    );
    await context.log.add(
      request.cards.map((card) => ({
        kind: 'armed',
        batchId,
        deviceId: card.deviceId,
        cardSerial: card.identity.serial,
        text: `Armed: the card in ${slots.get(card.slotId)?.title ?? card.slotId}, which held ${slots.get(card.slotId)?.medium?.holds ?? 'nothing'}, will be erased.`,
      })),
      db,
    );
    await addJob(db, 'write-round', { roundId: id });
  });
  await record(context);
  const round = await context.rounds.find(id);
  if (!round) throw new Error('a round that was just made is missing');
  context.events.send({ type: 'round', round });
  return round;
}

/**
 * Starts a round again with the cards that did not get finished, if they are still in their slots.
 * @throws Problem as `armRound`
 */
export async function resumeRound(context: Context, roundId: string, confirm: string): Promise<Round> {
  const round = await context.rounds.find(roundId);
  if (!round) throw new Problem(404, 'round-missing', 'There is no such round.');
  if (round.state === 'queued' || round.state === 'running')
    throw new Problem(409, 'round-running', 'This round is still being written.');
  const cards = await context.rounds.unfinished(round);
  if (cards.length === 0)
    throw new Problem(
      409,
      'round-complete',
      'Every card of this round was verified or written in a later round; there is nothing to resume.',
    );
  return armRound(context, round.batchId, { cards, confirm });
}
