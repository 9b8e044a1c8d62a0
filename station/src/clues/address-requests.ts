import { inSubnet } from '@nest-mark/core';
import { isHostAddress, readAddressRequest, type Clue } from '@nest-mark/core/find';
import { ClueError, type ClueListener, type ListenPlace } from './ports';
import { bind, type Bound } from './socket';

/** Why the port of requests could not be had, and what to do. */
function reason(error: unknown, port: number): string {
  const { code = '' } = error as NodeJS.ErrnoException;
  if (code === 'EACCES' || code === 'EPERM')
    return `Requests for addresses arrive at UDP port ${String(port)}, which this program may not open. Let it: start it as a service with AmbientCapabilities=CAP_NET_BIND_SERVICE, or run "sudo sysctl net.ipv4.ip_unprivileged_port_start=${String(port)}" until the next start of this computer. Everything else works without.`;
  if (code === 'EADDRINUSE')
    return `UDP port ${String(port)} is in use: a program of this computer gives out addresses itself. Paste its list of leases instead.`;
  return `Requests for addresses cannot be heard: ${error instanceof Error ? error.message : String(error)}.`;
}

const near = (address: string | null, places: readonly ListenPlace[]): string | null =>
  address !== null && places.some(({ subnet }) => isHostAddress(address) && inSubnet(address, subnet))
    ? address
    : null;

/** @returns null for what is no client's message */
export function clueOfRequest(octets: Uint8Array, places: readonly ListenPlace[], at: number): Clue | null {
  const request = readAddressRequest(octets);
  if (!request) return null;
  const { kind, hardwareAddress, hostName, wants } = request;
  return {
    source: 'address-request',
    at,
    // A request names the address that it is about to get; whoever only asks around has none.
    address: kind === 'request' || kind === 'inform' ? near(wants, places) : null,
    hardwareAddress,
    name: hostName,
    mark: null,
    kind: kind === 'release' ? 'leaves' : 'asks',
  };
}

/**
 * Hears hosts ask for an address (RFC 2131); only hears: nothing is ever answered. The port is open only while somebody
 * listens, since a program that gives out addresses on this computer could not start otherwise.
 */
export const addressRequests: ClueListener = {
  source: 'address-request',
  async listen({ places }, onClue) {
    const hear = (octets: Buffer): void => {
      const clue = clueOfRequest(octets, places, Date.now());
      if (clue) onClue(clue);
    };
    const where = new Map(
      places.map(({ requests }) => [`${requests.address}:${String(requests.port)}`, requests]),
    );
    const bound: Bound[] = [];
    for (const one of where.values()) {
      try {
        bound.push(await bind({ type: 'udp4', reuseAddr: one.address === '0.0.0.0' }, one, hear));
      } catch (error) {
        await Promise.all(bound.map((one) => one.close()));
        throw new ClueError(reason(error, one.port));
      }
    }
    return async () => {
      await Promise.all(bound.map((one) => one.close()));
    };
  },
};
