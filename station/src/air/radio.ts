import type { KeyVerdict } from '@nest-mark/core';
import type { HeardPoint, RadioAdapter, SavedPlace, TriedNetwork } from '@nest-mark/core/in-air';

export type { SavedPlace };

/** Why the air cannot be read, or a key not be tried. */
export type RadioFault = 'none' | 'rights' | 'busy' | 'gone' | 'failed' | 'stopped';

/** The message is for people. */
export class RadioError extends Error {
  override readonly name = 'RadioError';

  constructor(
    readonly fault: RadioFault,
    message: string,
  ) {
    super(message);
  }
}

/** How a trial ended; the adapter is as it was before. */
export interface TrialEnd {
  verdict: KeyVerdict;
  /** In dBm, of the access point that was tried; null where it is not known. */
  signal: number | null;
  message: string;
}

/** The radios of this computer. */
export interface Radio {
  /** @throws RadioError */
  adapters(): Promise<RadioAdapter[]>;
  /** Listens for some seconds. @throws RadioError */
  look(adapter: string, signal: AbortSignal): Promise<HeardPoint[]>;
  /**
   * Joins a network for a moment, and asks for an address without taking one.
   * @throws RadioError; the adapter is as it was before then too
   */
  tryKey(adapter: string, network: TriedNetwork, signal: AbortSignal): Promise<TrialEnd>;
}

/** What this computer has saved by itself, for its own use. */
export interface SavedProfiles {
  /** Without any key. The problem says why some are not told; empty where all are. */
  list(): Promise<{ profiles: SavedPlace[]; problem: string }>;
  /** One of them, with its key, empty where there is none. @throws RadioError */
  take(id: string): Promise<{ profile: SavedPlace; key: string }>;
}
