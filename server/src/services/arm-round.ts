import { randomUUID } from 'node:crypto';
import {
  armingPhrase,
  cardAdvice,
  checkPlan,
  decimalSize,
  LOOK_LASTS,
  settingsOf,
  type ArmRound,
  type CardRecord,
  type Device,
  type PlanView,
  type Proposal,
  type ProposedCard,
  type Round,
} from '@nest-mark/core';
import { refuseMedium, sameMedium, type Medium, type MediumIdentity, type Slot } from '@nest-mark/station';
import type { ArmedCard } from '../db/rounds';
import { addJob } from '../jobs/queue';
import { Problem } from '../http/problems';
import { keyFor, recordsIn, refuseRecord } from './cards';
import { record, type Context } from './context';
import { needBatch, planView, stoppers } from './plans';

/** Why a batch cannot be written now, and its plan with its images. */
async function readiness(context: Context, batchId: string): Promise<{ blockers: string[]; view: PlanView }> {
  const view = await planView(context, await needBatch(context, batchId));
  return { blockers: stoppers(checkPlan(view)).map((finding) => finding.message), view };
}

const imageSizeOf = ({ plan, images }: PlanView, device: Device): number =>
  images.find(({ id }) => id === settingsOf(plan, device).imageId)?.rawSize ?? 0;

/** Kind of a card in words, by which rates are learnt: its model with the size that sellers print on it. */
const cardKind = ({ model, identity }: Medium): string =>
  `${model.trim() || 'card'}, ${decimalSize(identity.size)}`;

type InUse = Awaited<ReturnType<Context['rounds']['inUse']>>;

/** Whether two identities may be one medium, as two stations see it: by serial, or at one place of one computer. */
const maybeSame = (a: MediumIdentity, b: MediumIdentity): boolean =>
  a.size === b.size && (a.serial !== '' ? a.serial === b.serial : a.path === b.path);

/** Why the card of a slot is not free; null when it is. */
export function heldBy(
  context: Context,
  inUse: InUse,
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
  const verified = await context.rounds.verifiedFor([...records.values()].map(({ key }) => key));
  const proposed = slots.map(({ id, title, medium }): ProposedCard => {
    const known = records.get(id);
    const [next] = queue;
    const refusal =
      medium &&
      (heldBy(context, inUse, id, medium.identity) ??
        refuseMedium(medium, next ? imageSizeOf(view, next) : 0, largestGB * 1e9)?.message ??
        refuseRecord(known));
    const verifiedFor = (known && verified.get(known.key)) ?? null;
    // A card that should be retired can be chosen, but is not proposed.
    const fit = medium && !refusal && !verifiedFor && !(known && cardAdvice(known));
    const device = fit ? queue.shift() : undefined;
    return {
      slotId: id,
      slotTitle: title,
      medium,
      deviceId: device?.id ?? null,
      refusal,
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
  if (!slot?.medium)
    throw new Problem(
      409,
      'card-missing',
      `Nothing was erased. There is no card in ${title}. Put it back, or leave it out.`,
    );
  if (!sameMedium(slot.medium.identity, card.identity))
    throw new Problem(
      409,
      'card-changed',
      `Nothing was erased. ${title} holds another card than the one you looked at. Look again.`,
    );
  const refusal = refuseMedium(slot.medium, imageSize, largest);
  if (refusal)
    throw new Problem(409, `card-${refusal.code}`, `Nothing was erased. ${title}: ${refusal.message}`);
  const retired = refuseRecord(known);
  if (retired) throw new Problem(409, 'card-retired', `Nothing was erased. ${title}: ${retired}`);
  return slot.medium;
}

/**
 * Arms a round and starts it. Every guard is looked at again here, and once more when a card is opened.
 * @throws Problem when the phrase is not the right one, the plan has a finding that stops, or a medium is not fit
 */
export async function armRound(context: Context, batchId: string, request: ArmRound): Promise<Round> {
  const { blockers, view } = await readiness(context, batchId);
  if (blockers.length > 0)
    throw new Problem(
      409,
      'plan-stops',
      `Nothing was erased. The plan cannot be written yet: ${blockers.join(' ')}`,
    );
  checkRequest(request);
  const slots = new Map((await context.reader.list()).map((slot) => [slot.id, slot]));
  const records = await recordsIn(context, [...slots.values()]);
  const devices = new Map(view.plan.devices.map((device) => [device.id, device]));
  const { largestGB } = await context.settings.bench();
  const armed: (ArmedCard & { slotTitle: string; cardKey: string; medium: Medium })[] = [];
  for (const card of request.cards) {
    const slot = slots.get(card.slotId);
    const device = devices.get(card.deviceId);
    const imageSize = device ? imageSizeOf(view, device) : null;
    const medium = checkCard(card, slot, imageSize, records.get(card.slotId), largestGB * 1e9);
    armed.push({
      slotId: card.slotId,
      deviceId: card.deviceId,
      identity: card.identity,
      slotTitle: slot?.title ?? '',
      cardKind: cardKind(medium),
      cardKey: await keyFor(context, medium),
      medium,
    });
  }
  const id = randomUUID();
  await context.knex.transaction(async (db) => {
    // Two people arming at once must not get the same slot.
    await context.rounds.lockSlots(db);
    const inUse = await context.rounds.inUse(db);
    for (const { slotId, slotTitle, identity } of armed) {
      const held = heldBy(context, inUse, slotId, identity);
      if (held)
        throw new Problem(
          409,
          'slot-busy',
          `Nothing was erased. ${slotTitle}: ${held} Wait for that to end.`,
        );
    }
    for (const { cardKey, medium } of armed)
      await context.cards.seen(cardKey, medium.model, medium.identity.size, db);
    await context.rounds.create(id, batchId, context.station, armed, db);
    await context.batches.resetProgress(
      armed.map((card) => card.deviceId),
      db,
    );
    await context.log.add(
      armed.map(({ deviceId, identity, slotTitle, medium }) => ({
        kind: 'armed',
        batchId,
        deviceId,
        cardSerial: identity.serial,
        text: `Armed: the card in ${slotTitle}, which held ${medium.holds}, will be erased.`,
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
 * @param only the slot of a single card, also of a round whose other cards are still being written
 * @throws Problem as `armRound`
 */
export async function resumeRound(
  context: Context,
  roundId: string,
  request: { confirm: string; lookedAt: number; only?: string | undefined },
): Promise<Round> {
  const round = await context.rounds.find(roundId);
  if (!round) throw new Problem(404, 'round-missing', 'There is no such round.');
  const { only } = request;
  if (only === undefined && (round.state === 'queued' || round.state === 'running'))
    throw new Problem(409, 'round-running', 'This round is still being written.');
  const unfinished = await context.rounds.unfinished(round);
  const cards = unfinished
    .filter(({ slotId }) => only === undefined || slotId === only)
    .map(({ slotId, deviceId, identity }) => ({ slotId, deviceId, identity }));
  if (cards.length === 0)
    throw new Problem(
      409,
      'round-complete',
      'Every card of this round was verified or written in a later round; there is nothing to resume.',
    );
  return armRound(context, round.batchId, { cards, confirm: request.confirm, lookedAt: request.lookedAt });
}
