import type { Lab } from '@nest-mark/stand-in';

/** The practice bench, where this station has one. */
export interface Practice {
  lab: Lab | null;
}
