import { proofPhrase, type CardProof, type CardRecord, type ProveCard } from '@nest-mark/core';
import { refuseMedium, sameMedium } from '@nest-mark/station';
import { addJob } from '../jobs/queue';
import { Problem } from '../http/problems';
import { heldBy } from './arm-round';
import { keyFor } from './cards';
import { record, type Context } from './context';

const begun = (what: ProveCard['what']): CardProof => ({
  state: 'running',
  at: Date.now(),
  text: what === 'restore' ? 'Its full size is being restored.' : 'It is being proved.',
  realSize: null,
  share: 0,
});

/**
 * Starts proving the card in a slot, or restoring its full size; both erase it.
 * @throws Problem when it is not confirmed, or the medium is not the one that was looked at or not fit
 */
export async function startProof(context: Context, request: ProveCard): Promise<CardRecord> {
  if (request.confirm.trim().toLowerCase() !== proofPhrase)
    throw new Problem(422, 'not-confirmed', `Nothing was erased. Type "${proofPhrase}" to confirm.`);
  const slot = (await context.reader.list()).find(({ id }) => id === request.slotId);
  const title = slot?.title ?? request.slotId;
  if (!slot?.medium)
    throw new Problem(409, 'card-missing', `Nothing was erased. There is no card in ${title}. Put it back.`);
  const { medium } = slot;
  if (!sameMedium(medium.identity, request.identity))
    throw new Problem(
      409,
      'card-changed',
      `Nothing was erased. ${title} holds another card than the one you looked at. Look again.`,
    );
  const { largestGB } = await context.settings.bench();
  const refusal = refuseMedium(medium, 0, largestGB * 1e9);
  if (refusal)
    throw new Problem(409, `card-${refusal.code}`, `Nothing was erased. ${title}: ${refusal.message}`);
  const key = await keyFor(context, medium);
  await context.knex.transaction(async (db) => {
    await context.rounds.lockSlots(db);
    const held = heldBy(context, await context.rounds.inUse(db), slot.id, medium.identity);
    if (held) throw new Problem(409, 'slot-busy', `Nothing was erased. ${title}: ${held}`);
    await context.cards.seen(key, medium.model, medium.identity.size, db);
    await context.cards.setProof(key, begun(request.what), db);
    context.proving.add(slot.id);
    await addJob(db, 'prove-card', {
      key,
      slotId: slot.id,
      identity: medium.identity,
      what: request.what,
    }).catch((error: unknown) => {
      context.proving.delete(slot.id);
      throw error;
    });
  });
  await record(context, {
    kind: 'proof-begun',
    cardSerial: medium.identity.serial,
    text: `The card in ${title}, which held ${medium.holds}, ${request.what === 'restore' ? 'is emptied to its full size' : 'is proved'}: it is erased.`,
  });
  context.events.send({ type: 'cards' });
  context.events.send({ type: 'slots' });
  const [card] = await context.cards.list([key]);
  if (!card) throw new Error('a card record that was just made is missing');
  return card;
}
