import type { Knex } from 'knex';
import { problem } from '../platform/http/problems';
import type { HandOver } from './domain';

/**
 * Destroys what lets the bench into devices: the private halves of their host keys and their passwords. Part of a
 * transaction that holds the devices, so that nothing begins with them meanwhile.
 * @param inWords names of devices, for the sentence of a refusal
 * @returns those of which the bench still had them
 * @throws Problem when something is being done with one of them that may need what is to be destroyed
 */
export async function destroySecrets(
  { repository, plans }: HandOver,
  deviceIds: readonly string[],
  inWords: (deviceIds: readonly string[]) => string,
  db: Knex,
): Promise<string[]> {
  const busy = await repository.busy(deviceIds, db);
  if (busy.length > 0) throw problem('device-at-work', { names: inWords(busy) });
  const gone = await repository.forgotten(deviceIds, db);
  for (const id of gone) await plans.vault.forget(id, db);
  return gone;
}
