import type { Sighting } from './match';

/** A time in which a device was seen at one address only, with one hardware address. Times are ms since 1970. */
export interface Stay {
  address: string;
  port: number;
  hardwareAddress: string | null;
  /** Whether the host signed with the device's key each time; a host that only shows it is somebody else. */
  proved: boolean;
  from: number;
  to: number;
  /** How often it was seen there. */
  times: number;
}

/**
 * Where a device was over time, newest first: sightings one after the other at the same place are one stay. Two places
 * that take turns in one search are told in turn, as they were seen.
 * @param sightings of one host key, in any order
 */
export function staysOf(sightings: readonly Sighting[]): Stay[] {
  const stays: Stay[] = [];
  for (const seen of [...sightings].sort((a, b) => a.at - b.at || Number(a.id) - Number(b.id))) {
    const { address, port, hardwareAddress, keyProven, at } = seen;
    const last = stays.at(-1);
    if (
      last?.address === address &&
      last.port === port &&
      last.proved === keyProven &&
      // A search that could not read the neighbour table does not make it another board.
      (last.hardwareAddress === hardwareAddress || last.hardwareAddress === null || hardwareAddress === null)
    ) {
      last.to = at;
      last.times++;
      last.hardwareAddress ??= hardwareAddress;
    } else stays.push({ address, port, hardwareAddress, proved: keyProven, from: at, to: at, times: 1 });
  }
  return stays.reverse();
}
