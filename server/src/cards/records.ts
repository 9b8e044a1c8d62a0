import { randomUUID } from 'node:crypto';
import type { CardRecord } from '@nest-mark/core';
import type { Medium, Slot } from '@nest-mark/station';
import type { HeldFor, VerifiedFor } from './repository';
import type { Cards } from './domain';

const isId = (text: string): boolean => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(text);

/** The round that a card's label names; null when it is none of ours. */
function roundOnLabel({ label }: Pick<Medium, 'label'>): string | null {
  if (!label) return null;
  const roundId = label.writing.slice(label.mark.length + 1);
  return isId(roundId) && isId(label.deviceId) ? roundId : null;
}

/** Beginning of the keys of records whose cards told no serial number when they were written. */
const OWN = 'own-';

/**
 * Which card record a medium belongs to: the one of the writing that it bears, where that card told no serial number;
 * else by the card's own serial number, else by what was left on it; null for a card that was never used here. A label
 * that belongs to the record of another serial number was copied, and says nothing of this card.
 */
export async function knownKey(cards: Cards, medium: Medium): Promise<string | null> {
  const { identity, label } = medium;
  const roundId = roundOnLabel(medium);
  const written =
    roundId !== null && label ? await cards.repository.keyOfWriting(roundId, label.deviceId) : null;
  if (identity.serial !== '') return written?.startsWith(OWN) ? written : identity.serial;
  if (written !== null) return written;
  // A card that was checked or emptied here carries no label, but nothing else looks like it.
  if (label || identity.content === '') return null;
  const keys = await cards.repository.keysByContent(identity.content, identity.size);
  return keys.length === 1 ? (keys[0] ?? null) : null;
}

/** The record that a medium gets when it is written. */
export const keyFor = async (cards: Cards, medium: Medium): Promise<string> =>
  (await knownKey(cards, medium)) ?? `${OWN}${randomUUID()}`;

/** Records of the media in some slots, by slot. */
export async function recordsIn(
  cards: Cards,
  slots: readonly { id: string; medium: Medium | null }[],
): Promise<Map<string, CardRecord>> {
  const keys = new Map<string, string>();
  for (const { id, medium } of slots) {
    const key = medium && (await knownKey(cards, medium));
    if (key) keys.set(id, key);
  }
  const records = new Map((await cards.repository.list([...keys.values()])).map((card) => [card.key, card]));
  return new Map(
    [...keys].flatMap(([slotId, key]) => {
      const record = records.get(key);
      return record ? [[slotId, record] as const] : [];
    }),
  );
}

/** Why a card must not be used again although it could be written; null when nothing speaks against it. */
export const refuseRecord = (record: CardRecord | undefined): string | null =>
  record?.retired ? 'This card was retired. Use another one, or take it back into use on its record.' : null;

/** Whether the medium in a slot still is what the record of its card says: the card of that device, by that writing. */
const isStill = (medium: Medium, held: HeldFor): boolean =>
  !held.marked || (medium.label?.deviceId === held.deviceId && roundOnLabel(medium) === held.roundId);

/** Whose verified cards the media in some slots are, by slot: what the record says and the card itself bears out. */
export async function verifiedIn(
  cards: Cards,
  slots: readonly Slot[],
  records: ReadonlyMap<string, CardRecord>,
): Promise<Map<string, VerifiedFor>> {
  const held = await cards.repository.heldFor([...records.values()].map(({ key }) => key));
  return new Map(
    slots.flatMap(({ id, medium }) => {
      const whose = held.get(records.get(id)?.key ?? '');
      if (!medium || !whose || !isStill(medium, whose)) return [];
      const { deviceId, hostName, mark, nest, batchName } = whose;
      return [[id, { deviceId, hostName, mark, nest, batchName }] as const];
    }),
  );
}

/**
 * Looks whether cards in the slots are no longer what their records say, because they were written or cleared
 * elsewhere, and notes it: their devices need other cards. Called when media come and go.
 */
export async function noteChangedCards(cards: Cards): Promise<void> {
  const slots = await cards.reader.list();
  const records = await recordsIn(cards, slots);
  const held = await cards.repository.heldFor([...records.values()].map(({ key }) => key));
  const inUse = new Set(
    (await cards.runs.repository.heldSlots()).flatMap(({ station, slotId }) =>
      station === cards.station ? [slotId] : [],
    ),
  );
  for (const { id, medium } of slots) {
    const key = records.get(id)?.key;
    const whose = key === undefined ? undefined : held.get(key);
    // Only what was read tells; a medium that is open or cannot be read says nothing.
    if (!medium || key === undefined || !whose || medium.identity.content === '' || inUse.has(id)) continue;
    if (isStill(medium, whose)) continue;
    await cards.knex.transaction(async (db) => {
      await cards.repository.happened(key, 'changed', null, medium.identity.content, db);
      await cards.log.add(
        [
          {
            kind: 'card-changed',
            deviceId: whose.deviceId,
            cardSerial: medium.identity.serial,
            text: `The verified card of ${whose.hostName} came back with other things on it (${medium.holds}). It counts as its card no longer.`,
          },
        ],
        db,
      );
    });
    cards.events.send({ type: 'log' });
    cards.events.send({ type: 'cards' });
  }
}
