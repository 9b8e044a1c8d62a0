import { proofPhrase, type CardProof, type CardRecord, type ProveCard } from '@nest-mark/core';
import { refuseMedium } from '@nest-mark/station';
import { addJob } from '../jobs/queue';
import { Problem } from '../http/problems';
import { heldBy, needFit, needSame } from './arm-round';
import { keyFor } from './cards';
import type { Context } from './context';

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
  const busy = heldBy(context, await context.rounds.inUse(), request.slotId, request.identity);
  if (busy) throw new Problem(409, 'slot-busy', `Nothing was erased. ${request.slotId}: ${busy}`);
  const slot = (await context.reader.list('anew')).find(({ id }) => id === request.slotId);
  const { slotId } = request;
  const title = slot?.title ?? slotId;
  const medium = needSame(slot, slotId, request.identity);
  const { largestGB } = await context.settings.bench();
  needFit(title, refuseMedium(medium, 0, largestGB * 1e9), request.overrule);
  const key = await keyFor(context, medium);
  const state = { taken: false };
  try {
    await context.knex.transaction(async (db) => {
      await context.rounds.lockSlots(db);
      const held = heldBy(context, await context.rounds.inUse(db), slotId, medium.identity);
      if (held) throw new Problem(409, 'slot-busy', `Nothing was erased. ${title}: ${held}`);
      context.proving.add(slotId);
      state.taken = true;
      await context.cards.seen(key, medium.model, medium.identity.size, db);
      await context.cards.beginProof(key, begun(request.what), context.station, db);
      await context.log.add(
        [
          {
            kind: 'proof-begun',
            cardSerial: medium.identity.serial,
            text: `The card in ${title}, which held ${medium.holds}, ${request.what === 'restore' ? 'is emptied to its full size' : 'is proved'}: it is erased.`,
          },
        ],
        db,
      );
      await addJob(db, context.station, 'prove-card', {
        key,
        slotId,
        identity: medium.identity,
        what: request.what,
        overrule: request.overrule ?? null,
      });
    });
  } catch (error) {
    if (state.taken) context.proving.delete(slotId);
    throw error;
  }
  context.events.send({ type: 'log' });
  context.events.send({ type: 'cards' });
  context.events.send({ type: 'slots' });
  const [card] = await context.cards.list([key]);
  if (!card) throw new Error('a card record that was just made is missing');
  return card;
}
