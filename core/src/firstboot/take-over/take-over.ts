import { isBenchKey } from '../../access/bench-key';
import type { BootFiles } from '../boot-files';
import type { OwnMethod } from '../../plan/own-method';
import { actingMethod } from '../methods';
import { nothing, type Adopted } from './adopted';

/**
 * Reads the settings of a card, an image or a folder for a plan; the secrets come along. A bench's own key does not: it
 * is none of the users'.
 */
export function adopt(boot: BootFiles, own: readonly OwnMethod[] = []): Adopted {
  const found = actingMethod(boot, own).method?.takeOver(boot) ?? nothing();
  return {
    ...found,
    users: found.users.map((user) => ({ ...user, keys: user.keys.filter((line) => !isBenchKey(line)) })),
  };
}
