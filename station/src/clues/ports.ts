import type { Clue, ListeningSource } from '@nest-mark/core/find';

/** A network that this computer is on, as far as listening is concerned. */
export interface ListenPlace {
  /** The interface, as the system calls it; `practice` for the practice bench. */
  name: string;
  /** This computer's own IPv4 address there. */
  address: string;
  /** The subnet of that address in CIDR form; nothing outside it is believed. */
  subnet: string;
  /** Whether IPv6 is spoken there, so that link-local addresses can be heard. */
  ipv6: boolean;
  /** Whether the system knows it as a wireless one. */
  wireless: boolean;
  /** Where hosts announce themselves: a group that is joined, or on the practice network one address. */
  announcements: { address: string; port: number };
  /** Where requests for addresses arrive. */
  requests: { address: string; port: number };
}

/** By which of its interfaces a system sends to an address, and whom it hands it to on the way. */
export interface WayOut {
  interface: string;
  gateway: string | null;
}

/** What is listened for. */
export interface ListenOrder {
  places: readonly ListenPlace[];
  /** Host names to ask for, without domain; looked at again each time. */
  names: () => readonly string[];
  /** Where the cards of the batch have their boards call; null for nowhere. */
  callIn: { address: string; port: number } | null;
  /** Path of a list of hosts on this computer; empty for none. */
  listPath: string;
}

/** Why a source cannot be used here, and what to do about it; the message is for people. */
export class ClueError extends Error {
  override readonly name = 'ClueError';
}

/** Something that listens until it is stopped. */
export interface ClueListener {
  readonly source: ListeningSource;
  /**
   * Begins to listen.
   * @param onClue called for each thing that is heard, again each time that it is heard
   * @returns how to stop
   * @throws ClueError when it cannot be done here
   */
  listen(order: ListenOrder, onClue: (clue: Clue) => void): Promise<() => Promise<void>>;
}

/** Everything by which a station hears boards. */
export interface Ears {
  listeners: readonly ClueListener[];
  /** Networks that this computer is on. */
  places(): Promise<ListenPlace[]>;
  /** By which interface this computer would send to an address; null where that is not known. */
  way(address: string): Promise<WayOut | null>;
}
