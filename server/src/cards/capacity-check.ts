import { randomUUID } from 'node:crypto';
import { capacityPhrase, type CardRecord, type StartCapacityCheck } from '@nest-mark/core';
import { refuseMedium } from '@nest-mark/station';
import { problem } from '../platform/http/problems';
import type { Cards } from './domain';
import { keyFor } from './records';
import { heldBy, needFit, needSame } from './slots';

/** In what a check counts how far it is: thousandths of the card. */
export const CAPACITY_SHARE = 1000;

/** A card record that has to be there. @throws Problem */
export async function needCard(cards: Cards, key: string): Promise<CardRecord> {
  const [card] = await cards.repository.list([key]);
  if (!card) throw problem('card-unknown');
  return card;
}

/**
 * Starts checking the capacity of the card in a slot, or restoring its full size; both erase it.
 * @param begunBy who wants it, in words
 * @throws Problem when it is not confirmed, or the medium is not the one that was looked at or not fit
 */
export async function startCapacityCheck(
  cards: Cards,
  request: StartCapacityCheck,
  begunBy: string,
): Promise<CardRecord> {
  if (request.confirm.trim().toLowerCase() !== capacityPhrase)
    throw problem('not-confirmed', { phrase: capacityPhrase });
  const { slotId, what } = request;
  const { runs } = cards;
  const busy = heldBy(cards, await runs.repository.heldSlots(), slotId, request.identity);
  if (busy) throw problem('slot-busy', { title: slotId, held: busy });
  const slot = (await cards.reader.list('anew')).find(({ id }) => id === slotId);
  const title = slot?.title ?? slotId;
  const medium = needSame(slot, slotId, request.identity);
  const { largestGB } = await cards.settings.repository.station();
  needFit(title, refuseMedium(medium, 0, largestGB * 1e9), request.overrule);
  const key = await keyFor(cards, medium);
  await cards.knex.transaction(async (db) => {
    await runs.repository.lockSlots(db);
    const held = heldBy(cards, await runs.repository.heldSlots(db), slotId, medium.identity);
    if (held) throw problem('slot-busy', { title, held });
    await cards.repository.seen(key, medium.model, medium.identity.size, db);
    // From here on the card is nobody's.
    await cards.repository.happened(key, 'check-begun', null, null, db);
    await cards.log.add(
      [
        {
          kind: 'capacity-begun',
          cardSerial: medium.identity.serial,
          text: `The card in ${title}, which held ${medium.holds}, ${what === 'restore' ? 'is emptied to its full size' : 'has its capacity checked'}: it is erased.`,
        },
      ],
      db,
    );
    await runs.begin(
      {
        id: randomUUID(),
        kind: 'capacity-check',
        begunBy,
        order: { what, overrule: request.overrule ?? null, identity: medium.identity },
        items: [{ subject: key, slot: { id: slotId, identity: medium.identity }, total: CAPACITY_SHARE }],
      },
      db,
    );
  });
  cards.events.send({ type: 'log' });
  cards.events.send({ type: 'cards' });
  cards.events.send({ type: 'slots' });
  return needCard(cards, key);
}

/** Stops the capacity check of a card, wherever it is made. @throws Problem when there is none */
export async function stopCapacityCheck(cards: Cards, key: string): Promise<void> {
  const run = await cards.runs.repository.about('capacity-check', key);
  if (!run || !(await cards.runs.ask(run.id, 'cancel'))) throw problem('check-ended');
}
