import type { ShownKey } from './ssh-host-key';

/** A host that has the port open. */
export interface SweepHit {
  address: string;
  port: number;
  banner: string | null;
  key: ShownKey | null;
}

/** What is looked for, and how. */
export interface SearchOrder {
  addresses: readonly string[];
  port: number;
}

/** How far a search is, in addresses. */
export interface SearchProgress {
  done: number;
  total: number;
  /** Addresses to which this computer has no way, so that nothing was asked of them. */
  unreachable: number;
}

export interface SearchOptions {
  signal: AbortSignal;
  onProgress: (progress: SearchProgress) => void;
  /** Called for each host as soon as it has answered. */
  onHit: (hit: SweepHit) => void;
}

/**
 * A search of the network, in a thread of its own: thousands of connections that fail at once must not hold up the
 * rest of the program, nor the rest of the program the search.
 * @returns how far it got; less than all of it when it was stopped
 */
export type SearchNetwork = (order: SearchOrder, options: SearchOptions) => Promise<SearchProgress>;
