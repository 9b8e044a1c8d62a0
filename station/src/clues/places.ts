import { existsSync } from 'node:fs';
import { networkInterfaces } from 'node:os';
import { addressNumber, addressOf } from '@nest-mark/core';
import type { ListenPlace } from './ports';

/** Group and port of multicast DNS (RFC 6762 section 3), and the port of those who give out addresses (RFC 2131, 4.1). */
const ANNOUNCEMENTS = { address: '224.0.0.251', port: 5353 } as const;
const REQUESTS = { address: '0.0.0.0', port: 67 } as const;

/** Networks that this computer is on, as the system has them; loopback is none. */
export function ownPlaces(): ListenPlace[] {
  return Object.entries(networkInterfaces()).flatMap(([name, addresses = []]) => {
    const four = addresses.filter(
      ({ family, internal, cidr }) => family === 'IPv4' && !internal && cidr !== null,
    );
    const ipv6 = addresses.some(({ family, address }) => family === 'IPv6' && address.startsWith('fe80:'));
    return four.map(({ address, cidr }) => ({
      name,
      address,
      subnet: subnetOf(cidr ?? ''),
      ipv6,
      wireless: existsSync(`/sys/class/net/${name}/wireless`),
      announcements: ANNOUNCEMENTS,
      requests: REQUESTS,
    }));
  });
}

/** `10.8.0.2/24` as `10.8.0.0/24`. */
export function subnetOf(cidr: string): string {
  const [address = '', prefix = '32'] = cidr.split('/');
  const size = 2 ** (32 - Number(prefix));
  return `${addressOf(Math.floor(addressNumber(address) / size) * size)}/${prefix}`;
}
