import { hardwareOfLinkLocal } from '../net/hardware-address';
import type { HeardClue } from './clue';
import type { Sighting } from './match';

/** What a host was called, and where that was heard. */
export interface HeardName {
  name: string;
  source: HeardClue['source'];
}

/** A host of the network, with everything that was heard of it. Times are milliseconds since 1970. */
export interface Host {
  /** Newest first. */
  addresses: string[];
  hardwareAddress: string | null;
  names: HeardName[];
  marks: string[];
  sources: HeardClue['source'][];
  /** When it was heard of first. */
  since: number;
  at: number;
  /** How often it asked for an address, while it has none. */
  asked: number;
  /** Whether it said that it leaves, and was not heard again. */
  left: boolean;
  /** What its login services showed, newest first. */
  sightings: Sighting[];
}

const blank = (): Host => ({
  addresses: [],
  hardwareAddress: null,
  names: [],
  marks: [],
  sources: [],
  since: Infinity,
  at: 0,
  asked: 0,
  left: false,
  sightings: [],
});

const add = <T>(list: T[], value: T | null, same = (a: T, b: T): boolean => a === b): void => {
  if (value !== null && !list.some((one) => same(one, value))) list.push(value);
};

/** Hosts by what they are known by; an address belongs to whoever had it last. */
class HostTable {
  private readonly byHardware = new Map<string, Host>();
  private readonly byAddress = new Map<string, Host>();
  readonly all = new Set<Host>();

  /** The host of an address and a hardware address, either of which may be missing; null without both. */
  of(address: string | null, hardwareAddress: string | null): Host | null {
    const hardware = hardwareAddress ?? (address === null ? null : hardwareOfLinkLocal(address));
    const known = hardware === null ? undefined : this.byHardware.get(hardware);
    const there = address === null ? undefined : this.byAddress.get(address);
    let host = known ?? there;
    if (known && there && known !== there) {
      if (there.hardwareAddress === null) this.merge(known, there);
      // The address has changed hands.
      else there.addresses = there.addresses.filter((one) => one !== address);
    } else if (!known && there?.hardwareAddress && hardware !== null && there.hardwareAddress !== hardware) {
      there.addresses = there.addresses.filter((one) => one !== address);
      host = undefined;
    }
    if (!host) {
      if (address === null && hardware === null) return null;
      host = blank();
      this.all.add(host);
    }
    if (hardware !== null) {
      host.hardwareAddress = hardware;
      this.byHardware.set(hardware, host);
    }
    if (address !== null) {
      host.addresses = [address, ...host.addresses.filter((one) => one !== address)];
      this.byAddress.set(address, host);
    }
    return host;
  }

  private merge(into: Host, gone: Host): void {
    for (const address of gone.addresses) {
      add(into.addresses, address);
      this.byAddress.set(address, into);
    }
    for (const name of gone.names) add(into.names, name, sameName);
    for (const mark of gone.marks) add(into.marks, mark);
    for (const source of gone.sources) add(into.sources, source);
    into.since = Math.min(into.since, gone.since);
    into.at = Math.max(into.at, gone.at);
    into.sightings.push(...gone.sightings);
    this.all.delete(gone);
  }
}

const sameName = (a: HeardName, b: HeardName): boolean => a.name === b.name && a.source === b.source;

/**
 * Puts together what was heard and seen of the same host. Nothing is believed but the order in time: an address that
 * changes hands takes with it only what is seen there from then on.
 */
export function hostsOf(clues: readonly HeardClue[], sightings: readonly Sighting[]): Host[] {
  const table = new HostTable();
  const events = [
    ...clues.map((clue) => ({ at: clue.at, clue, sighting: null })),
    ...sightings.map((sighting) => ({ at: sighting.at, clue: null, sighting })),
  ].sort((a, b) => a.at - b.at);
  for (const { at, clue, sighting } of events) {
    const host = clue
      ? table.of(clue.address, clue.hardwareAddress)
      : table.of(sighting.address, sighting.hardwareAddress);
    if (!host) continue;
    host.at = Math.max(host.at, at);
    host.since = Math.min(host.since, clue?.since ?? at);
    if (clue) {
      add(host.sources, clue.source);
      if (clue.name !== null) add(host.names, { name: clue.name, source: clue.source }, sameName);
      add(host.marks, clue.mark);
      host.left = clue.kind === 'leaves';
      if (clue.kind === 'asks' && clue.address === null) host.asked += clue.times;
    } else {
      add(host.sources, 'sweep');
      host.sightings.unshift(sighting);
      host.left = false;
    }
  }
  return [...table.all];
}
