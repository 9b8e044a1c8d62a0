import { textOrNull } from '../../bytes';
import type { BootFiles } from '../boot-files';
import { nothing, type Adopted } from '../take-over/adopted';
import { fromSupplicant } from '../take-over/supplicant';
import { isTemplate } from './reads-back';

/** What a plan takes over from a template that was filled in. */
export function takeTemplateOver(boot: BootFiles): Adopted {
  const found = nothing();
  const template = boot.files.find(isTemplate);
  fromSupplicant((template && textOrNull(template.content)) ?? '', found);
  return found;
}
