import { ownMethodId, type FirstBootMethodId, type ImageFacts } from '../plan/model';
import type { OwnMethod } from '../plan/own-method';
import type { BootFiles } from './boot-files';
import { declarativeSeed } from './declarative-seed/method';
import { markerFilesMethod } from './marker-files/method';
import type { DetectView, FirstBootMethod } from './method';
import { networkTemplate } from './network-template/method';
import { ownMethod } from './own/method';
import { runOnce } from './run-once/method';

/** Every method, the first that fits is taken: those that the image itself brings before the one that is brought to it. */
export const firstBootMethods: readonly FirstBootMethod[] = [
  declarativeSeed,
  networkTemplate,
  markerFilesMethod,
  runOnce,
];

const sentence = (text: string): string => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;

/** The method that an image reads, with the reason; others that would work too; of none, what was looked for. */
export async function detectMethod(view: DetectView): Promise<{ id: FirstBootMethodId; reason: string }> {
  const found: { id: FirstBootMethodId; reason: string }[] = [];
  const absent: string[] = [];
  for (const method of firstBootMethods) {
    const reason = await method.detect(view);
    const inert = method.inert(view.system);
    if (reason && inert === null) found.push({ id: method.id, reason });
    else absent.push(`${methodName(method.id)}: ${inert ?? method.looksFor}`);
  }
  const [first, ...others] = found;
  if (!first)
    return {
      id: 'none',
      reason: `The image shows no sign of a first-boot method that is known here. ${absent.map(sentence).join(' ')}`,
    };
  const names = others.map(({ id }) => `"${methodName(id)}"`);
  return {
    id: first.id,
    reason: names.length === 0 ? first.reason : `${first.reason} Possible too: ${names.join(', ')}.`,
  };
}

/** In the order in which they act on a board: a script on the command line runs before anything is looked for. */
const actingOrder = [runOnce, declarativeSeed, markerFilesMethod, networkTemplate];

/** What makes of a card what it makes of its board. */
export interface Acting {
  /** Null where nothing does. */
  method: FirstBootMethod | null;
  /** The description, where it is an own method. */
  own: OwnMethod | null;
  reason: string;
}

/**
 * The method that the files of a card are of, with the reason.
 * @param own methods that people described; theirs come first, since a file that says something by a description says it
 * to nobody else
 */
export function actingMethod(boot: BootFiles, own: readonly OwnMethod[]): Acting {
  for (const one of own) {
    const method = ownMethod(one);
    const reason = method.acts(boot);
    if (reason !== null) return { method, own: one, reason };
  }
  for (const method of actingOrder) {
    const reason = method.acts(boot);
    if (reason !== null) return { method, own: null, reason };
  }
  return { method: null, own: null, reason: 'No file of a first-boot method that is known here was found.' };
}

/** A method by its id, or null for `none`. @param own the description, where the id is that of an own method */
export const firstBootMethod = (
  id: FirstBootMethodId,
  own: OwnMethod | null = null,
): FirstBootMethod | null =>
  own && id === ownMethodId(own.id)
    ? ownMethod(own)
    : (firstBootMethods.find((method) => method.id === id) ?? null);

/** The method of an image, or null for `none`. */
export const methodOf = ({ method, own }: Pick<ImageFacts, 'method' | 'own'>): FirstBootMethod | null =>
  firstBootMethod(method, own);

/** A method's name as people read it. */
export const methodTitle = (id: FirstBootMethodId, own: OwnMethod | null = null): string =>
  firstBootMethod(id, own)?.title ??
  (id === 'none'
    ? 'Nothing on the card: by wire, or by screen and keyboard'
    : 'A method whose description is not here any more');

/** The same in a sentence, without what stands in brackets. */
export const methodName = (id: FirstBootMethodId, own: OwnMethod | null = null): string =>
  methodTitle(id, own).replace(/ \(.*\)$/, '');
