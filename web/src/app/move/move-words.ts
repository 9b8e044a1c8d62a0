import type { BoardMoveState } from '@nest-mark/core/api';

/** What a board's state in a move is called, and the sign that stands beside the word. */
export const moveWords: Record<BoardMoveState, { word: string; sign: 'work' | 'well' | 'hand' | 'wait' }> = {
  looking: { word: 'is asked', sign: 'work' },
  adding: { word: 'gets the network', sign: 'work' },
  trying: { word: 'tries its way back', sign: 'work' },
  switching: { word: 'switches over', sign: 'work' },
  proving: { word: 'looked for', sign: 'work' },
  keeping: { word: 'proved, keeps it', sign: 'work' },
  'taking-off': { word: 'forgets the old one', sign: 'work' },
  moved: { word: 'moved', sign: 'well' },
  alone: { word: 'moved, the old one is off', sign: 'well' },
  waits: { word: 'has both', sign: 'wait' },
  'came-back': { word: 'came back', sign: 'hand' },
  missing: { word: 'on neither', sign: 'hand' },
  hand: { word: 'needs a hand', sign: 'hand' },
  stopped: { word: 'stopped', sign: 'wait' },
};
