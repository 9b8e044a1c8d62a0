import { bothSizes, USUAL_LARGEST_GB } from '@nest-mark/core';
import type { Medium } from './ports';

/** Largest medium that is written unless the operator raises it, in octets. */
export const DEFAULT_LARGEST = USUAL_LARGEST_GB * 1e9;

export type RefusalCode = 'system' | 'mounted' | 'fixed' | 'protected' | 'large' | 'small';

export interface Refusal {
  code: RefusalCode;
  message: string;
}

/**
 * Why a medium must not be written, or null. Checked when a round is proposed, when it is armed, and again in the
 * station before the medium is opened.
 * @param imageSize octets that will be written
 */
export function refuseMedium(
  medium: Omit<Medium, 'label'>,
  imageSize: number,
  largest = DEFAULT_LARGEST,
): Refusal | null {
  const size = bothSizes(medium.identity.size);
  if (medium.system)
    return { code: 'system', message: 'This is a disk that this computer runs from. It is never written.' };
  if (medium.mounted.length > 0)
    return { code: 'mounted', message: `It is in use as ${medium.mounted.join(', ')}. Release it first.` };
  if (!medium.removable)
    return { code: 'fixed', message: 'This is a fixed disk, not a card. It is never written.' };
  if (medium.readOnly)
    return { code: 'protected', message: 'The card is write-protected. Slide its lock to the other side.' };
  if (medium.identity.size > largest)
    return {
      code: 'large',
      message: `With ${size} it is larger than any card allowed here (${bothSizes(largest)}).`,
    };
  if (medium.identity.size < imageSize)
    return {
      code: 'small',
      message: `With ${size} it is too small: the image needs ${bothSizes(imageSize)}. Use a larger card.`,
    };
  return null;
}
