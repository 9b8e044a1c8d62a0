import { randomUUID } from 'node:crypto';
import type { CardRecord } from '@nest-mark/core';
import type { Medium } from '@nest-mark/station';
import type { Context } from './context';

/**
 * Which card record a medium belongs to: by its serial number, else by what was written to it last; null for a card
 * that was never used here.
 */
export async function knownKey(context: Context, medium: Medium): Promise<string | null> {
  if (medium.identity.serial !== '') return medium.identity.serial;
  const { label } = medium;
  if (!label) return null;
  const roundId = label.writing.slice(label.mark.length + 1);
  if (!/^[0-9a-f-]{36}$/.test(roundId) || !/^[0-9a-f-]{36}$/.test(label.deviceId)) return null;
  return context.cards.keyOfWriting(roundId, label.deviceId);
}

/** The record that a medium gets when it is written. */
export const keyFor = async (context: Context, medium: Medium): Promise<string> =>
  (await knownKey(context, medium)) ?? `own-${randomUUID()}`;

/** Records of the media in some slots, by slot. */
export async function recordsIn(
  context: Context,
  slots: readonly { id: string; medium: Medium | null }[],
): Promise<Map<string, CardRecord>> {
  const keys = new Map<string, string>();
  for (const { id, medium } of slots) {
    const key = medium && (await knownKey(context, medium));
    if (key) keys.set(id, key);
  }
  const records = new Map((await context.cards.list([...keys.values()])).map((card) => [card.key, card]));
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
