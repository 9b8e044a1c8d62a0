import type { FirstBootSettings, OwnMethod } from '@nest-mark/core';
import type { Knex } from 'knex';
import type { Rounds } from './domain';
import { VaultError } from '../platform/vault/seal';

/**
 * What a person confirmed for one card, kept word for word until the card has ended: a plan, a network or a key that
 * is changed after arming must not change what is written. It holds secrets, so it is sealed like them.
 */

const kindOf = (slotId: string): string => `armed:${slotId}`;

/** Octets do not go through JSON as such. */
const OCTETS = '$octets';

/** What the files of one card are made from. */
export interface Armed {
  settings: FirstBootSettings;
  /** The description of its first-boot method, where that is an own one: it may be changed or removed meanwhile. */
  own: OwnMethod | null;
}

const toJson = (armed: Armed): string =>
  JSON.stringify(armed, (_key, value: unknown) =>
    value instanceof Uint8Array ? { [OCTETS]: Buffer.from(value).toString('base64') } : value,
  );

function fromJson(text: string): Armed {
  const value = JSON.parse(text, (_key, inner: unknown) =>
    typeof inner === 'object' && inner !== null && OCTETS in inner
      ? Uint8Array.from(Buffer.from(String(inner[OCTETS]), 'base64'))
      : inner,
  ) as Armed | FirstBootSettings;
  // A round that an earlier version armed has the settings alone.
  return 'settings' in value ? value : { settings: value, own: null };
}

/** Seals the settings of a round's card, as part of the transaction that arms it. */
export const keepArmed = (
  rounds: Rounds,
  roundId: string,
  slotId: string,
  armed: Armed,
  db: Knex,
): Promise<void> => rounds.vault.put(roundId, kindOf(slotId), toJson(armed), db);

/** @throws VaultError when they are not there or cannot be read */
export async function armedSettings(rounds: Rounds, roundId: string, slotId: string): Promise<Armed> {
  const text = await rounds.vault.get(roundId, kindOf(slotId));
  if (text === null) throw new VaultError('What was confirmed for this card is missing. Arm it again.');
  return fromJson(text);
}

/** Forgets what was sealed for a round, once its cards have ended. */
export const forgetArmed = (rounds: Rounds, roundId: string, db: Knex): Promise<void> =>
  rounds.vault.forget(roundId, db);
