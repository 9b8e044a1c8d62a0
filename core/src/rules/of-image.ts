import type { Carried } from '../firstboot/carried';
import { canHaveLocale } from '../firstboot/lacks';
import { methodName, methodOf } from '../firstboot/methods';
import type { DeviceSettings } from '../plan/effective';
import type { ImageFacts } from '../plan/model';
import type { RuleView } from './rule';

/** Image of a variant whose method is known; what has no method at all is told by `image-chosen`. */
export const imageOf = (view: RuleView, { imageId }: Pick<DeviceSettings, 'imageId'>): ImageFacts | null =>
  view.images.find(({ id, method }) => id === imageId && method !== 'none') ?? null;

export const carriesOf = (image: ImageFacts): ReadonlySet<Carried> => methodOf(image)?.carries ?? new Set();

/** Its method's name in a sentence. */
export const methodNameOf = ({ method, own }: ImageFacts): string => methodName(method, own);

/** What does not come true on the system of an image, though its method carries it, by the reason. */
export function lacksOf(
  image: ImageFacts,
  asked: readonly Carried[],
  { locale }: Pick<DeviceSettings, 'locale'>,
): Map<string, Carried[]> {
  const method = methodOf(image);
  const found = new Map<string, Carried[]>();
  if (!method || !image.system) return found;
  for (const { what, why } of method.lacks(image.system)) {
    if (!asked.includes(what) || !method.carries.has(what)) continue;
    if (what === 'locale' && canHaveLocale(image.system, locale)) continue;
    found.set(why, [...(found.get(why) ?? []), what]);
  }
  return found;
}
