import type { Air } from '@nest-mark/core/api';
import type { ListenPlace } from '@nest-mark/station/ports';

/** Last part of the address at which is listened on the practice network. */
const LISTENER = 254;

/** A network beside another one, of the same form. */
const nextNetwork = (network: string): string =>
  network.replace(/\d+$/, (last) => String((Number(last) + 128) % 256));

/** The second network's first three parts, beside those of the first one. */
export const otherNetwork = (network: string): string =>
  network.replace(/\d+$/, (last) => String((Number(last) + 64) % 256));

/** The practice network, as somebody listens there. */
export function placeOn(air: Air): ListenPlace {
  // Elsewhere this computer has an address of another network, and nobody of this one is heard there.
  const network = air.elsewhere ? nextNetwork(air.network) : air.network;
  const address = `${network}.${String(LISTENER)}`;
  return {
    name: 'practice',
    address,
    subnet: `${network}.0/24`,
    ipv6: false,
    wireless: true,
    announcements: { address, port: 15_353 },
    requests: { address, port: 15_067 },
  };
}
