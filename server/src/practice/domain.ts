import type { Lab } from '@nest-mark/stand-in';
import type { Finding } from '../finding';

/** The practice bench, where this station has one. */
export interface Practice {
  lab: Lab | null;
  finding: Finding;
}
