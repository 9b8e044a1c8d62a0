/** What the station needs from the world: card slots and the table of neighbours on the network. */
import type { DiskSurvey, MarkFile } from '@nest-mark/core';
import type { OpenedToRead } from './card/read-trial';

export * from './air/radio';
export * from './clues/ports';

/** What makes a medium the one that was meant; compared again when it is opened. */
export interface MediumIdentity {
  /** Stable path of the slot, as "by-path" names give it. */
  path: string;
  /** Size in octets. */
  size: number;
  /** Serial number of the card itself; empty where only the reader's is known. */
  serial: string;
  /** What is on it, as `contentDigest` has it; empty while it cannot be read. */
  content: string;
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
  /** What speaks against its being a card to write on, in words that a person can check; null for nothing. */
  caution: string | null;
  /** What its mark file says when it was written here. */
  label: MarkFile | null;
}

export interface Slot {
  id: string;
  title: string;
  medium: Medium | null;
}

export type CardFault =
  | 'pulled'
  | 'changed'
  | 'busy'
  | 'protected'
  | 'rights'
  | 'io'
  | 'stalled'
  | 'mismatch'
  | 'image'
  | 'small';

/** Why a card cannot be used; the message is for people. */
export class CardError extends Error {
  override readonly name = 'CardError';

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
  /** Whether reading goes past the system's cache, so that what comes back comes from the medium. */
  readonly pastCache: boolean;
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
  /** @param look `anew` reads every medium again instead of telling what was seen of it earlier */
  list(look?: 'anew'): Promise<Slot[]>;
  /** Opens a medium exclusively. @throws CardError `pulled`, `changed` or `busy` */
  open(slotId: string, identity: MediumIdentity): Promise<CardHandle>;
  /** Calls back after a medium came or went. @returns how to stop */
  watch(listener: () => void): () => void;
  /** Takes a medium's mounted partitions out of use, after a person agreed. @throws CardError */
  release?(slotId: string): Promise<void>;
  /** Makes a medium safe to pull, where the reader can do that. */
  eject?(slotId: string): Promise<void>;
  /** Opens a medium for reading only. @throws CardError */
  openToRead(slotId: string): Promise<OpenedToRead>;
}

/** The disks of this computer, whether they are offered or not. */
export interface DiskTable {
  survey(): Promise<DiskSurvey[]>;
}

/** Who is behind which address on the local link. */
export interface NeighbourTable {
  /** Hardware addresses by network address. */
  read(): Promise<Map<string, string>>;
}

/** Whether two identities name the same place with the same kind of medium in it; their contents may differ. */
export const samePlace = (a: MediumIdentity, b: MediumIdentity): boolean =>
  a.path === b.path && a.size === b.size && a.serial === b.serial;

/** Whether two identities name one and the same medium, with the same things on it. */
export const sameMedium = (a: MediumIdentity, b: MediumIdentity): boolean =>
  samePlace(a, b) && a.content === b.content;
