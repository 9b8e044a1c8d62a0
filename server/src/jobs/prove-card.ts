import { bothSizes, type CardProof } from '@nest-mark/core';
import {
  CardError,
  contentDigest,
  overrules,
  proofStopped,
  proveCard,
  refuseMedium,
  restoreCard,
  type CardHandle,
} from '@nest-mark/station';
import type { Context } from '../services/context';
import { untilRecorded } from '../services/until-recorded';
import type { Jobs } from './queue';

type Order = Jobs['prove-card'];

/** Milliseconds between two looks at how far it is. */
const TELL_EVERY = 500;

/** Tells how far a proof is, now and then. What cannot be told is dropped; only the result has to get through. */
function teller(context: Context, key: string): (share: number) => void {
  let last = Date.now();
  return (share) => {
    if (Date.now() - last < TELL_EVERY) return;
    last = Date.now();
    const proof: CardProof = {
      state: 'running',
      at: last,
      text: 'It is being proved.',
      realSize: null,
      share,
    };
    context.cards
      .setProofShare(key, proof)
      .then(() => context.events.send({ type: 'cards' }))
      .catch(() => undefined);
  };
}

async function work(
  { what }: Order,
  handle: CardHandle,
  signal: AbortSignal,
  onProgress: (share: number) => void,
): Promise<CardProof> {
  const proof: CardProof = { state: 'good', at: Date.now(), text: '', realSize: null, share: 1 };
  if (what !== 'restore') {
    const { state, text, realSize } = await proveCard(handle, { signal, onProgress });
    Object.assign(proof, { state, text, realSize });
  }
  if (what !== 'prove') {
    await restoreCard(handle, proof.realSize ?? handle.size);
    proof.text =
      `${proof.text} It shows its full size again: ${bothSizes(proof.realSize ?? handle.size)}.`.trim();
  }
  return proof;
}

/** Opens the card after looking at every guard once more. @throws CardError */
async function openCard(context: Context, order: Order): Promise<CardHandle> {
  const { largestGB } = await context.settings.bench();
  const slot = (await context.reader.list('anew')).find(({ id }) => id === order.slotId);
  const refusal = slot?.medium ? refuseMedium(slot.medium, 0, largestGB * 1e9) : null;
  if (refusal && !overrules(order.overrule, refusal)) throw new CardError('protected', refusal.message);
  return context.reader.open(order.slotId, order.identity);
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

/** Proves the card of a slot or restores its size, and writes down what was found. */
export async function proveCardJob(context: Context, order: Order): Promise<void> {
  const stop = new AbortController();
  context.stoppers.set(order.key, stop);
  context.proving.add(order.slotId);
  let handle: CardHandle | null = null;
  let proof: CardProof;
  try {
    handle = await untilRecorded(context, () => openCard(context, order));
    proof = await work(order, handle, stop.signal, teller(context, order.key));
  } catch (error) {
    const text = proofStopped(error)
      ? 'It was stopped. The card is erased in part; prove it again or write it.'
      : error instanceof CardError
        ? error.message
        : `The card could not be used: ${error instanceof Error ? error.message : String(error)}`;
    proof = { state: 'failed', at: Date.now(), text, realSize: null, share: 0 };
  }
  const content = await contentOf(handle);
  await handle?.close().catch(() => undefined);
  context.stoppers.delete(order.key);
  try {
    await untilRecorded(context, () =>
      context.knex.transaction(async (db) => {
        if (!(await context.cards.endProof(order.key, proof, content, db))) return;
        await context.log.add(
          [
            {
              kind: `proof-${proof.state}`,
              cardSerial: order.identity.serial,
              text: `The card was looked through: ${proof.text}`,
            },
          ],
          db,
        );
      }),
    );
  } finally {
    context.proving.delete(order.slotId);
  }
  context.events.send({ type: 'log' });
  context.events.send({ type: 'cards' });
  context.events.send({ type: 'slots' });
}
