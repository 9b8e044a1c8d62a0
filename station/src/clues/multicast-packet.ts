import { decode, type Answer, type DecodedPacket } from 'dns-packet';
import { inSubnet } from '@nest-mark/core';
import { isHostAddress, readHardwareAddress, type Clue } from '@nest-mark/core/find';
import type { ListenPlace } from './ports';

/** Our own service, by which a card that was written here tells its mark. */
export const OWN_SERVICE = '_nestmark._tcp.local';
/** Services by which hosts can be logged in to, or say that they are there (RFC 6763; the common responder's own). */
export const SERVICES = [OWN_SERVICE, '_ssh._tcp.local', '_workstation._tcp.local'] as const;

/** Most records of one packet that are looked at; a full packet of a board has about twenty. */
const RECORDS_LIMIT = 200;

/** From where a packet came. */
export interface PacketOrigin {
  address: string;
  /** The interface of an IPv6 packet; for IPv4 it follows from the address. */
  zone: string | null;
}

/** A host name of ours to be, or null: others' text is not kept as it is (RFC 1123 section 2.1; underscores occur). */
function hostName(name: string): string | null {
  const [, host] = /^([A-Za-z0-9_-]{1,63})\.local\.?$/i.exec(name) ?? [];
  return host ?? null;
}

/** The network on which an address is this computer's neighbour, or null for one that lies elsewhere. */
const placeOf = (address: string, places: readonly ListenPlace[]): ListenPlace | null =>
  places.find(({ subnet }) => isHostAddress(address) && inSubnet(address, subnet)) ?? null;

/** `fe80::…` with the zone in which it was heard; only these: others are not this link's alone. */
function linkLocal(address: string, zone: string | null): string | null {
  const plain = address.toLowerCase().split('%')[0] ?? '';
  return zone !== null && /^fe[89ab][0-9a-f]:/.test(plain) ? `${plain}%${zone}` : null;
}

const text = (data: unknown): string =>
  Buffer.isBuffer(data) ? data.toString('latin1') : typeof data === 'string' ? data : '';

/** Marks in text records of our own service: `mark=…` (RFC 6763 section 6). */
function markIn(record: Answer): string | null {
  if (record.type !== 'TXT' || !record.name.toLowerCase().endsWith(OWN_SERVICE)) return null;
  const parts: unknown[] = Array.isArray(record.data) ? record.data : [record.data];
  for (const part of parts) {
    const [, mark] = /^mark=([A-Z0-9]{4,8})$/.exec(text(part)) ?? [];
    if (mark !== undefined) return mark;
  }
  return null;
}

/** `name [02:00:5e:00:53:15]` of a workstation's service. */
function workstation(record: Answer): { name: string; hardwareAddress: string } | null {
  if (record.type !== 'PTR' || record.name.toLowerCase() !== '_workstation._tcp.local') return null;
  const [, name = '', hardware = ''] = /^(.{1,63}) \[([0-9a-f:]{11,17})\]\./i.exec(record.data) ?? [];
  const hardwareAddress = readHardwareAddress(hardware);
  const host = hostName(`${name}.local`);
  return hardwareAddress !== null && host !== null ? { name: host, hardwareAddress } : null;
}

/** Every record that says something: a probe has what it wants to claim in its authority section (RFC 6762, 8.2). */
function recordsOf(packet: DecodedPacket): Answer[] {
  return [...(packet.answers ?? []), ...(packet.additionals ?? []), ...(packet.authorities ?? [])].slice(
    0,
    RECORDS_LIMIT,
  );
}

/**
 * What a packet of multicast DNS says about hosts of this computer's own networks (RFC 6762, 6763). It may say whatever
 * it likes about other addresses: that is not taken up.
 * @returns nothing for a packet that cannot be read
 */
export function cluesOfPacket(
  octets: Buffer,
  origin: PacketOrigin,
  places: readonly ListenPlace[],
  at: number,
): Clue[] {
  let packet: DecodedPacket;
  try {
    packet = decode(octets);
  } catch {
    return [];
  }
  const zone = origin.zone ?? placeOf(origin.address, places)?.name ?? null;
  const records = recordsOf(packet);
  const marks = new Map<string, string>();
  for (const record of records) {
    const mark = markIn(record);
    // `instance._nestmark._tcp.local`: the instance is the host's name, unless it was renamed meanwhile.
    if (mark !== null && record.type === 'TXT') marks.set(record.name.toLowerCase(), mark);
  }
  const targets = new Map<string, string>();
  for (const record of records)
    if (record.type === 'SRV') {
      const mark = marks.get(record.name.toLowerCase());
      if (mark !== undefined) targets.set(record.data.target.toLowerCase().replace(/\.$/, ''), mark);
    }
  const clues: Clue[] = [];
  for (const record of records) {
    const station = workstation(record);
    if (station) {
      clues.push({
        source: 'multicast',
        at,
        address: null,
        hardwareAddress: station.hardwareAddress,
        name: station.name,
        mark: null,
        kind: 'ttl' in record && record.ttl === 0 ? 'leaves' : 'here',
      });
      continue;
    }
    if (record.type !== 'A' && record.type !== 'AAAA') continue;
    const name = hostName(record.name);
    const place = record.type === 'A' ? placeOf(record.data, places) : null;
    const address = record.type === 'A' ? (place ? record.data : null) : linkLocal(record.data, zone);
    if (name === null || address === null) continue;
    clues.push({
      source: 'multicast',
      at,
      address,
      hardwareAddress: null,
      name,
      mark: targets.get(record.name.toLowerCase().replace(/\.$/, '')) ?? null,
      // A goodbye is a record with no time to live left (RFC 6762, 10.1).
      kind: record.ttl === 0 ? 'leaves' : 'here',
    });
  }
  return clues;
}
