import { bothSizes, StartCapacityCheckSchema, type CapacityCheck } from '@nest-mark/core';
import {
  capacityCheckStopped,
  CardError,
  checkCapacity,
  contentDigest,
  overrules,
  refuseMedium,
  restoreCard,
  type CardHandle,
} from '@nest-mark/station';
import * as z from 'zod';
import { reasonOf } from '../platform/http/problems';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { ItemEnd, RunItem } from '../platform/runs/model';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import { CAPACITY_SHARE } from './capacity-check';
import type { Cards } from './domain';

/** Milliseconds between two words about how far it is. */
const TELL_EVERY = 500;

const OrderSchema = StartCapacityCheckSchema.pick({ identity: true, what: true }).extend({
  overrule: z.string().nullable(),
});
type Order = z.infer<typeof OrderSchema>;

/** What was found; when, the database says. */
type Found = Omit<CapacityCheck, 'at' | 'share'>;

/** Tells how far a check is, now and then. What cannot be told is dropped; only the result has to get through. */
function teller(cards: Cards, runId: string, key: string): (share: number) => void {
  let last = Date.now();
  return (share) => {
    if (Date.now() - last < TELL_EVERY) return;
    last = Date.now();
    cards.runs.repository
      .advance(runId, key, Math.floor(share * CAPACITY_SHARE))
      .then(() => cards.events.tell({ type: 'cards' }))
      .catch(() => undefined);
  };
}

async function checked(
  { what }: Order,
  handle: CardHandle,
  signal: AbortSignal,
  onProgress: (share: number) => void,
): Promise<Found> {
  const found: Found = { state: 'good', text: '', realSize: null };
  if (what !== 'restore') {
    const { state, text, realSize } = await checkCapacity(handle, { signal, onProgress });
    Object.assign(found, { state, text, realSize });
  }
  if (what !== 'check') {
    await restoreCard(handle, found.realSize ?? handle.size);
    found.text =
      `${found.text} It shows its full size again: ${bothSizes(found.realSize ?? handle.size)}.`.trim();
  }
  return found;
}

/** Opens the card after looking at every guard once more. @throws CardError */
async function openCard(cards: Cards, slotId: string, order: Order): Promise<CardHandle> {
  const { largestGB } = await cards.settings.repository.station();
  const slot = (await cards.reader.list('anew')).find(({ id }) => id === slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, 0, largestGB * 1e9) : null;
  if (refusal && !overrules(order.overrule, refusal)) throw new CardError('protected', refusal.message);
  return cards.reader.open(slotId, order.identity);
}

/** What the card can be known by again; empty when it cannot be read. */
async function contentOf(handle: CardHandle | null): Promise<string> {
  if (!handle) return '';
  const read = async (offset: number, length: number): Promise<Uint8Array> => {
    const bytes = new Uint8Array(length);
    await handle.read(bytes, offset);
    return bytes;
  };
  return contentDigest({ size: handle.size, read }).catch(() => '');
}

const failed = (error: unknown): Found => ({
  state: 'failed',
  text: capacityCheckStopped(error)
    ? 'It was stopped. The card is erased in part; check it again or write it.'
    : error instanceof CardError
      ? error.message
      : `The card could not be used: ${reasonOf(error)}`,
  realSize: null,
});

/** Writes down what was found, once, with what that makes of the card and its line in the log. */
const record = (cards: Cards, item: RunItem, serial: string, found: Found, content: string): Promise<void> =>
  untilRecorded(cards, () =>
    cards.knex.transaction(async (db) => {
      const end: ItemEnd = { state: found.state === 'failed' ? 'failed' : 'done', message: found.text };
      if (!(await cards.runs.repository.endItem(item.runId, item.subject, end, db))) return;
      await cards.repository.setCapacity(item.subject, found, db);
      await cards.repository.happened(item.subject, 'checked', null, content, db);
      await cards.log.add(
        [
          {
            kind: `capacity-${found.state}`,
            cardSerial: serial,
            text: `The card was looked through: ${found.text}`,
          },
        ],
        db,
      );
    }),
  );

async function work(cards: Cards, { run, control, release }: RunHandle): Promise<RunEnd> {
  const [item] = await untilRecorded(cards, () => cards.runs.repository.items(run.id));
  const order = OrderSchema.parse(await untilRecorded(cards, () => cards.runs.repository.orderOf(run.id)));
  const slots = await untilRecorded(cards, () => cards.runs.repository.heldSlots());
  const slotId = slots.find(({ runId }) => runId === run.id)?.slotId;
  if (!item || slotId === undefined) return { state: 'failed', reason: 'Its slot is not on record.' };
  let handle: CardHandle | null = null;
  let found: Found;
  try {
    await untilRecorded(cards, () =>
      cards.runs.repository.step(run.id, item.subject, order.what === 'restore' ? 'restoring' : 'checking'),
    );
    handle = await untilRecorded(cards, () => openCard(cards, slotId, order));
    found = await checked(order, handle, control.signal, teller(cards, run.id, item.subject));
  } catch (error) {
    found = failed(error);
  }
  const content = await contentOf(handle);
  await handle?.close().catch(() => undefined);
  release();
  await record(cards, item, order.identity.serial, found, content);
  return {
    state: control.signal.aborted ? 'cancelled' : found.state === 'failed' ? 'failed' : 'done',
    reason: found.text,
  };
}

/** The run that checks a card's capacity or restores its size. */
export const capacityRun = (cards: Cards): KindOfRun => ({
  kind: 'capacity-check',
  afterKill: 'interrupt',
  work: (handle) => work(cards, handle),
  async interrupted(run, db) {
    const text = 'The program stopped while this card was being checked. Check it again.';
    for (const { subject } of await cards.runs.repository.items(run.id))
      await cards.repository.setCapacity(subject, { state: 'interrupted', text, realSize: null }, db);
    return text;
  },
  afterEnd() {
    cards.events.send({ type: 'log' });
    cards.events.send({ type: 'cards' });
    cards.events.send({ type: 'slots' });
  },
});
