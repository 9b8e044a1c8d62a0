import { bothSizes, type CardProof } from '@nest-mark/core';
import { CardError, proofStopped, proveCard, restoreCard, type CardHandle } from '@nest-mark/station';
import { record, type Context } from '../services/context';
import type { Jobs } from './queue';

type Order = Jobs['prove-card'];

/** Milliseconds between two looks at how far it is. */
const TELL_EVERY = 500;

/** Writes down how far a proof is, one note after the other, so that none comes after the result. */
class Teller {
  private last = Date.now();
  private told: Promise<void> = Promise.resolve();

  constructor(
    private readonly context: Context,
    private readonly key: string,
  ) {}

  tell(share: number): void {
    if (Date.now() - this.last < TELL_EVERY) return;
    this.last = Date.now();
    const proof: CardProof = {
      state: 'running',
      at: this.last,
      text: 'It is being proved.',
      realSize: null,
      share,
    };
    this.told = this.told.then(async () => {
      await this.context.cards.setProof(this.key, proof);
      this.context.events.send({ type: 'cards' });
    });
    // Seen by whoever waits for the end.
    this.told.catch(() => undefined);
  }

  ended(): Promise<void> {
    return this.told;
  }
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

/** Proves the card of a slot or restores its size, and writes down what was found. */
export async function proveCardJob(context: Context, order: Order): Promise<void> {
  const stop = new AbortController();
  context.stoppers.set(order.key, stop);
  const teller = new Teller(context, order.key);
  let handle: CardHandle | null = null;
  let proof: CardProof;
  try {
    handle = await context.reader.open(order.slotId, order.identity);
    proof = await work(order, handle, stop.signal, (share) => teller.tell(share));
  } catch (error) {
    const text = proofStopped(error)
      ? 'It was stopped. The card is erased in part; prove it again or write it.'
      : error instanceof CardError
        ? error.message
        : `The card could not be used: ${error instanceof Error ? error.message : String(error)}`;
    proof = { state: 'failed', at: Date.now(), text, realSize: null, share: 0 };
  }
  await handle?.close();
  await teller.ended();
  context.stoppers.delete(order.key);
  context.proving.delete(order.slotId);
  await context.cards.setProof(order.key, proof);
  await record(context, {
    kind: `proof-${proof.state}`,
    cardSerial: order.identity.serial,
    text: `The card was looked through: ${proof.text}`,
  });
  context.events.send({ type: 'cards' });
  context.events.send({ type: 'slots' });
}
