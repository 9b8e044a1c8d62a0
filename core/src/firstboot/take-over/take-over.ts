import type { BootFiles } from '../boot-files';
import type { OwnMethod } from '../../plan/own-method';
import { actingMethod } from '../methods';
import { nothing, type Adopted } from './adopted';

/** Reads the settings of a card, an image or a folder for a plan; the secrets come along. */
export const adopt = (boot: BootFiles, own: readonly OwnMethod[] = []): Adopted =>
  actingMethod(boot, own).method?.takeOver(boot) ?? nothing();
