/** What the station needs from the world: card slots and the table of neighbours on the network. */
import type { MarkFile } from './card/label';

/** What makes a medium the one that was meant; compared again when it is opened. */
export interface MediumIdentity {
  /** Stable path of the slot, as "by-path" names give it. */
  path: string;
  /** Size in octets. */
  size: number;
  /** Serial number as the reader reports it; may be empty. */
  serial: string;
}

/** A medium in a slot. */
export interface Medium {
  identity: MediumIdentity;
  model: string;
  /** Removable or behind USB. */
  removable: boolean;
  readOnly: boolean;
  /** Mount points in use. */
  mounted: string[];
  /** Whether the workstation itself runs from it. */
  system: boolean;
  /** What is on it, in plain words. */
  holds: string;
  /** What its mark file says when it was written here. */
  label: MarkFile | null;
}

export interface Slot {
  id: string;
  title: string;
  medium: Medium | null;
}

export type CardFault =
  'pulled' | 'changed' | 'busy' | 'protected' | 'rights' | 'io' | 'stalled' | 'mismatch' | 'image' | 'small';

/** Why a card cannot be used; the message is for people. */
export class CardError extends Error {
  constructor(
    readonly code: CardFault,
    message: string,
  ) {
    super(message);
  }
}

/** An opened medium. Blocks handed over stay untouched until the promise settles. */
export interface CardHandle {
  readonly size: number;
  /** @throws CardError */
  write(block: Uint8Array, offset: number): Promise<void>;
  /** Fills `into` with what the medium gives back, past any cache where the system allows. @throws CardError */
  read(into: Uint8Array, offset: number): Promise<void>;
  /** Returns when everything written is on the medium. @throws CardError */
  flush(): Promise<void>;
  close(): Promise<void>;
}

/** A reader with slots. */
export interface CardReader {
  list(): Promise<Slot[]>;
  /** Opens a medium exclusively. @throws CardError `pulled`, `changed` or `busy` */
  open(slotId: string, identity: MediumIdentity): Promise<CardHandle>;
  /** Calls back after a medium came or went. @returns how to stop */
  watch(listener: () => void): () => void;
  /** Takes a medium's mounted partitions out of use, after a person agreed. @throws CardError */
  release?(slotId: string): Promise<void>;
  /** Makes a medium safe to pull, where the reader can do that. */
  eject?(slotId: string): Promise<void>;
}

/** Who is behind which address on the local link. */
export interface NeighbourTable {
  /** Hardware addresses by network address. */
  read(): Promise<Map<string, string>>;
}

/** Whether two identities name one and the same medium. */
export const sameMedium = (a: MediumIdentity, b: MediumIdentity): boolean =>
  a.path === b.path && a.size === b.size && a.serial === b.serial;
