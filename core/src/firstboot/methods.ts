import type { FirstBootMethodId } from '../batch/model';
import type { FatVolume } from '../disk/fat/volume';
import { declarativeSeed } from './declarative-seed';
import type { FirstBootMethod } from './method';

/** Every method, the first that fits is taken. */
const methods: readonly FirstBootMethod[] = [declarativeSeed];

/** The method that a boot partition's image reads, with the reason. */
export async function detectMethod(volume: FatVolume): Promise<{ id: FirstBootMethodId; reason: string }> {
  for (const method of methods) {
    const reason = await method.detect(volume);
    if (reason) return { id: method.id, reason };
  }
  return {
    id: 'none',
    reason: 'The boot partition shows no sign of a first-boot method that is known here.',
  };
}

/** A method by its id, or null for `none`. */
export const firstBootMethod = (id: FirstBootMethodId): FirstBootMethod | null =>
  methods.find((method) => method.id === id) ?? null;
