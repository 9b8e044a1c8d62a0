import type { FirstBootMethodId } from '../batch/model';
import { declarativeSeed } from './declarative-seed';
import { markerFilesMethod } from './marker-files';
import type { DetectView, FirstBootMethod } from './method';
import { networkTemplate } from './network-template';
import { runOnce } from './run-once/method';

/** Every method, the first that fits is taken: those that the image itself brings before the one that is brought to it. */
export const firstBootMethods: readonly FirstBootMethod[] = [
  declarativeSeed,
  networkTemplate,
  markerFilesMethod,
  runOnce,
];

/** The method that an image reads, with the reason. */
export async function detectMethod(view: DetectView): Promise<{ id: FirstBootMethodId; reason: string }> {
  for (const method of firstBootMethods) {
    const reason = await method.detect(view);
    if (reason) return { id: method.id, reason };
  }
  return {
    id: 'none',
    reason: 'The image shows no sign of a first-boot method that is known here.',
  };
}

/** A method by its id, or null for `none`. */
export const firstBootMethod = (id: FirstBootMethodId): FirstBootMethod | null =>
  firstBootMethods.find((method) => method.id === id) ?? null;

/** A method's name as people read it. */
export const methodTitle = (id: FirstBootMethodId): string =>
  firstBootMethod(id)?.title ?? 'Nothing on the card: by wire, or by screen and keyboard';

/** The same in a sentence, without what stands in brackets. */
export const methodName = (id: FirstBootMethodId): string => methodTitle(id).replace(/ \(.*\)$/, '');
