import type { FieldView } from '@nest-mark/core/api';

/** How a rehearsal stands, as people read it, each with a shape. */
export const standWords: Record<FieldView['standing'], { word: string; sign: 'wait' | 'hand' | 'well' }> = {
  none: { word: 'not rehearsed yet', sign: 'wait' },
  failed: { word: 'the rehearsal did not pass', sign: 'hand' },
  lapsed: { word: 'rehearse again', sign: 'hand' },
  passed: { word: 'rehearsed, and it passed', sign: 'well' },
};
