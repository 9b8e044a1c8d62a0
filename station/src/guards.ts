import { bothSizes, decimalSize, isSentence, USUAL_LARGEST_GB } from '@nest-mark/core';
import type { Medium } from './ports';

/** Largest medium that is written unless the operator raises it, in octets. */
export const DEFAULT_LARGEST = USUAL_LARGEST_GB * 1e9;

export type RefusalCode = 'system' | 'mounted' | 'fixed' | 'protected' | 'large' | 'holds' | 'small';

export interface Refusal {
  code: RefusalCode;
  message: string;
  /** What a person has to type to have it written all the same; null where nobody may. */
  overruledBy: string | null;
}

/** What has to be typed about a medium that does not look like a card: the person has to have looked at it. */
const sentenceOn = ({ model, identity }: Pick<Medium, 'model' | 'identity'>): string =>
  `erase ${model.trim() || 'this disk'} with ${decimalSize(identity.size)} and all that is on it`;

/** Whether what a person typed overrules a refusal. */
export const overrules = (typed: string | null | undefined, refusal: Refusal): boolean =>
  refusal.overruledBy !== null && isSentence(typed ?? '', refusal.overruledBy);

/**
 * Why a medium must not be written, or null. Checked when a round is proposed, when it is armed, and again in the
 * station before the medium is opened.
 * @param imageSize octets that will be written
 */
export function refuseMedium(
  medium: Omit<Medium, 'label' | 'holds'>,
  imageSize: number,
  largest = DEFAULT_LARGEST,
): Refusal | null {
  const never = (code: RefusalCode, message: string): Refusal => ({ code, message, overruledBy: null });
  const size = bothSizes(medium.identity.size);
  if (medium.system)
    return never('system', 'This is a disk that this computer runs from. It is never written.');
  if (medium.mounted.length > 0)
    return never('mounted', `It is in use as ${medium.mounted.join(', ')}. Release it first.`);
  if (!medium.removable) return never('fixed', 'This is a fixed disk, not a card. It is never written.');
  if (medium.readOnly)
    return never('protected', 'The card is write-protected. Slide its lock to the other side.');
  if (medium.identity.size > largest)
    return never('large', `With ${size} it is larger than any card allowed here (${bothSizes(largest)}).`);
  if (medium.identity.size < imageSize)
    return never(
      'small',
      `With ${size} it is too small: the image needs ${bothSizes(imageSize)}. Use a larger card.`,
    );
  if (medium.caution !== null) {
    const overruledBy = sentenceOn(medium);
    return {
      code: 'holds',
      message: `It does not look like a card to write on: ${medium.caution}. Look what it is.`,
      overruledBy,
    };
  }
  return null;
}
