import type { FirstBootSettings } from '@nest-mark/core';
import type { Knex } from 'knex';
import type { Context } from './context';
import { VaultError } from './vault';

/**
 * What a person confirmed for one card, kept word for word until the card has ended: a plan, a network or a key that
 * is changed after arming must not change what is written. It holds secrets, so it is sealed like them.
 */

const kindOf = (slotId: string): string => `armed:${slotId}`;

/** Octets do not go through JSON as such. */
const OCTETS = '$octets';

const toJson = (settings: FirstBootSettings): string =>
  JSON.stringify(settings, (_key, value: unknown) =>
    value instanceof Uint8Array ? { [OCTETS]: Buffer.from(value).toString('base64') } : value,
  );

const fromJson = (text: string): FirstBootSettings =>
  JSON.parse(text, (_key, value: unknown) =>
    typeof value === 'object' && value !== null && OCTETS in value
      ? Uint8Array.from(Buffer.from(String(value[OCTETS]), 'base64'))
      : value,
  ) as FirstBootSettings;

/** Seals the settings of a round's card, as part of the transaction that arms it. */
export const keepArmed = (
  context: Context,
  roundId: string,
  slotId: string,
  settings: FirstBootSettings,
  db: Knex,
): Promise<void> => context.vault.put(roundId, kindOf(slotId), toJson(settings), db);

/** @throws VaultError when they are not there or cannot be read */
export async function armedSettings(
  context: Context,
  roundId: string,
  slotId: string,
): Promise<FirstBootSettings> {
  const text = await context.vault.get(roundId, kindOf(slotId));
  if (text === null) throw new VaultError('What was confirmed for this card is missing. Arm it again.');
  return fromJson(text);
}

/** Forgets what was sealed for a round, once its cards have ended. */
export const forgetArmed = (context: Context, roundId: string, db: Knex): Promise<void> =>
  context.vault.forget(roundId, db);
