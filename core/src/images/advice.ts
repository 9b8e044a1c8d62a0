import { bothSizes } from '../units';
import type { BoardProfile } from '../boards/profiles';
import type { ImageFacts } from '../plan/model';

/** What speaks for or against an image for a board. */
export interface AdviceLine {
  stands: 'for' | 'against' | 'open';
  text: string;
  source: string;
}

export interface ImageAdvice {
  image: ImageFacts;
  lines: AdviceLine[];
  /** Higher is better; an image that cannot work has a negative one. */
  score: number;
}

/** Memory from which 64 bit is worth it (common practice). */
const WIDE_MEMORY_MIB = 2048;

/** What is advised for a board before any image is looked at. */
export function widthAdvice(board: BoardProfile): AdviceLine {
  if (board.wordBits === 32)
    return {
      stands: 'for',
      text: 'A 32 bit image: the processor runs nothing wider.',
      source: 'board profile',
    };
  return board.memoryMiB >= WIDE_MEMORY_MIB
    ? {
        stands: 'for',
        text: 'A 64 bit image: the board has 2 GiB of memory or more. Take 32 bit only for a driver that exists for nothing else.',
        source: 'common practice',
      }
    : {
        stands: 'for',
        text: 'A 32 bit image saves memory on a board with less than 2 GiB; 64 bit works too.',
        source: 'common practice',
      };
}

/**
 * Judges the images of the shelf for a board, the best first. Minimal is put before desktop: smaller, quicker to write,
 * and all that a headless board needs; who looks at its screen from afar takes the desktop one, and nothing stops that.
 * @param cardBytes size of the planned card, in octets
 */
export function adviseImages(
  board: BoardProfile,
  images: readonly ImageFacts[],
  cardBytes: number,
): ImageAdvice[] {
  return images
    .map((image): ImageAdvice => {
      const lines: AdviceLine[] = [];
      let score = 0;
      const say = (stands: AdviceLine['stands'], text: string, source: string, weight: number): void => {
        lines.push({ stands, text, source });
        score += weight;
      };
      if (image.wordBits === null) say('open', 'Nobody has said yet how wide it is.', 'Images', 0);
      else if (image.wordBits > board.wordBits)
        say('against', 'It is 64 bit, the board runs 32 bit only.', 'board profile', -100);
      else if (image.wordBits === 64 || board.wordBits === 32)
        say('for', `It is ${String(image.wordBits)} bit, as the board is.`, 'board profile', 3);
      else if (board.memoryMiB >= WIDE_MEMORY_MIB)
        say('open', 'It is 32 bit; the board could run 64 bit.', 'common practice', 0);
      else say('for', 'It is 32 bit, which saves memory on this board.', 'common practice', 3);
      if (image.flavour === 'minimal')
        say('for', 'It is minimal: quicker to write, all that a headless board needs.', 'common practice', 2);
      else if (image.flavour === 'desktop')
        say(
          'open',
          'It has a desktop: larger and slower to write; for those who look at the screen.',
          'common practice',
          0,
        );
      else if (image.flavour === 'application')
        say('open', 'It is made for one application and may take longer to boot.', 'common practice', 1);
      if (image.method === 'none')
        say('against', 'It shows no first-boot method that is known here.', 'its boot partition', -50);
      else say('for', 'It takes its settings from the card.', 'its boot partition', 2);
      if (image.rawSize > cardBytes)
        say(
          'against',
          `It needs a card of ${bothSizes(image.rawSize)}; ${bothSizes(cardBytes)} is planned.`,
          'its size',
          -20,
        );
      else say('for', `It fits on the planned card (${bothSizes(image.rawSize)}).`, 'its size', 0);
      return { image, lines, score };
    })
    .sort((a, b) => b.score - a.score);
}
