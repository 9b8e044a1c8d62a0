import { hardwareText } from './hardware-address';

/**
 * What a board says of itself while it asks a network for an address: a DHCP message of a client (RFC 2131 section 2,
 * options of RFC 2132). It is heard by everybody on the network, and believed by nobody: it only says where to look.
 */
export interface AddressRequest {
  kind: 'discover' | 'request' | 'decline' | 'release' | 'inform';
  /** Of the interface that asks. */
  hardwareAddress: string;
  /** Number of the exchange; repeats have the same. */
  exchange: number;
  /** Seconds since the client began to ask, as it counts them. */
  seconds: number;
  /** Option 12, or the first part of option 81 (RFC 4702); only characters of host names. */
  hostName: string | null;
  /** Option 50: the address that it wants. */
  wants: string | null;
  /** Option 54: the server whose offer it takes; null when it wants an earlier address back. */
  server: string | null;
  /** Option 61 as hexadecimal digits; two boards with the same one get one address. */
  clientId: string | null;
}

const COOKIE = 0x63825363;
/** Octets before the options, with the cookie. */
const HEAD = 240;
/** The largest name that is taken. */
const NAME_LIMIT = 63;
/** The largest client identifier that is taken, in octets. */
const ID_LIMIT = 64;

const kinds: Partial<Record<number, AddressRequest['kind']>> = {
  1: 'discover',
  3: 'request',
  4: 'decline',
  7: 'release',
  8: 'inform',
};

/** Reads options until their end; one that stands there twice is one value (RFC 3396). */
function readOptions(octets: Uint8Array, from: number, to: number, into: Map<number, number[]>): void {
  let at = from;
  while (at < to) {
    const code = octets[at++] ?? 255;
    if (code === 255) return;
    if (code === 0) continue;
    const length = octets[at++] ?? 0;
    if (at + length > to) return;
    into.set(code, [...(into.get(code) ?? []), ...octets.subarray(at, at + length)]);
    at += length;
  }
}

/** Others' text: what can stand in a host name stays, up to its first dot. */
export function nameSaid(octets: readonly number[] | undefined): string | null {
  if (!octets) return null;
  const text = String.fromCharCode(...octets.slice(0, 255))
    .replace(/\0.*$/s, '')
    .split('.')[0];
  const name = (text ?? '').replace(/[^A-Za-z0-9_-]/g, '').slice(0, NAME_LIMIT);
  return name === '' ? null : name;
}

/** Option 81 in its text form; the other form has lengths in it (RFC 4702 section 2.3.1). */
function fullName(octets: readonly number[] | undefined): string | null {
  if (!octets || octets.length < 4) return null;
  const [flags = 0] = octets;
  const rest = octets.slice(3);
  if ((flags & 4) === 0) return nameSaid(rest);
  const [length = 0] = rest;
  return nameSaid(rest.slice(1, 1 + length));
}

const address = (octets: readonly number[] | undefined): string | null =>
  octets?.length === 4 && octets.some((octet) => octet !== 0) ? octets.join('.') : null;

/** Reads a client's message. @returns null for everything else: a server's, another protocol's, one that is broken */
export function readAddressRequest(octets: Uint8Array): AddressRequest | null {
  if (octets.length < HEAD || octets[0] !== 1 || octets[1] !== 1 || octets[2] !== 6) return null;
  const view = new DataView(octets.buffer, octets.byteOffset, octets.byteLength);
  if (view.getUint32(236) !== COOKIE) return null;
  const options = new Map<number, number[]>();
  readOptions(octets, HEAD, octets.length, options);
  // Option 52: more of them in the fields for the boot file and the server's name.
  const more = options.get(52)?.[0] ?? 0;
  if ((more & 1) === 1) readOptions(octets, 108, 236, options);
  if ((more & 2) === 2) readOptions(octets, 44, 108, options);
  const kind = kinds[options.get(53)?.[0] ?? 0];
  const hardware = octets.subarray(28, 34);
  if (kind === undefined || hardware.every((octet) => octet === 0) || ((hardware[0] ?? 0) & 1) === 1)
    return null;
  const clientId = options.get(61);
  return {
    kind,
    hardwareAddress: hardwareText(hardware),
    exchange: view.getUint32(4),
    seconds: view.getUint16(8),
    hostName: nameSaid(options.get(12)) ?? fullName(options.get(81)),
    wants: address(options.get(50)) ?? address([...octets.subarray(12, 16)]),
    server: address(options.get(54)),
    clientId: clientId ? hardwareText(clientId.slice(0, ID_LIMIT)).replaceAll(':', '') : null,
  };
}
