import { createSocket } from 'node:dgram';
import { encode } from 'dns-packet';
import type { ListenPlace } from '@nest-mark/station/ports';

/** What a board says on its network by itself, as real packets. */
export interface Speaker {
  hostName: string;
  hardwareAddress: string;
  /** What its responder tells in a service of its own; null where there is none. */
  mark: string | null;
}

const octetsOf = (hardwareAddress: string): number[] =>
  hardwareAddress.split(':').map((part) => parseInt(part, 16));

const option = (code: number, value: readonly number[]): number[] => [code, value.length, ...value];

/** A client's message, as udhcpc sends it (RFC 2131 section 2). @param wants the address of an offer; null to ask around */
export function addressRequest({ hostName, hardwareAddress }: Speaker, wants: string | null): Buffer {
  const mac = octetsOf(hardwareAddress);
  const head = Buffer.alloc(240);
  head.set([1, 1, 6, 0, ...mac.slice(2)]);
  head.set(mac, 28);
  head.set([0x63, 0x82, 0x53, 0x63], 236);
  return Buffer.from([
    ...head,
    ...option(53, [wants === null ? 1 : 3]),
    ...option(12, [...Buffer.from(hostName.slice(0, 63), 'latin1')]),
    ...option(61, [1, ...mac]),
    ...(wants === null ? [] : option(50, wants.split('.').map(Number))),
    255,
  ]);
}

/** An announcement of a name, and of its service (RFC 6762 section 8.3). @param ttl seconds for which it holds; 0 for a goodbye */
export function announcement({ hostName, mark }: Speaker, address: string, ttl: number): Buffer {
  const name = `${hostName}.local`;
  const service = '_nestmark._tcp.local';
  const own = `${hostName}.${service}`;
  return encode({
    type: 'response',
    answers: [
      { type: 'A', name, ttl, data: address },
      ...(mark === null
        ? []
        : [
            { type: 'PTR' as const, name: service, ttl, data: own },
            { type: 'SRV' as const, name: own, ttl, data: { target: name, port: 22 } },
            { type: 'TXT' as const, name: own, ttl, data: [`mark=${mark}`] },
          ]),
    ],
  });
}

/** Says something; nobody need be listening. */
export function say(packet: Buffer, to: ListenPlace['announcements']): void {
  const socket = createSocket('udp4');
  socket.on('error', () => undefined);
  socket.send(packet, to.port, to.address, () => socket.close());
}
