import { toHex } from '../bytes';
import type { HeardNetwork } from '../air/model';
import { loudness } from '../air/gather';
import { networkTitle, type ShelvedNetwork, type WifiBand } from '../wifi/network';
import { ssidBytes } from '../wifi/ssid';
import type { HeardSignal } from './model';

/**
 * What an adapter that listened hears of some networks, band by band: their loudest access point on each. What it could
 * have heard there and did not is told as not heard; of hidden networks and bands that it does not have, nothing is.
 */
export function heardByAdapter(
  networks: readonly ShelvedNetwork[],
  heard: readonly HeardNetwork[],
  hears: readonly WifiBand[],
): HeardSignal[] {
  return networks.flatMap((network): HeardSignal[] => {
    const octets = ssidBytes(network);
    const name = octets && octets.length > 0 ? toHex(octets) : null;
    const points = heard.find(({ ssidHex }) => name !== null && ssidHex === name)?.points ?? [];
    const title = networkTitle(network);
    return hears.flatMap((band): HeardSignal[] => {
      const [loudest] = points
        .filter((point) => point.band === band)
        .toSorted((a, b) => loudness(b) - loudness(a));
      if (loudest)
        return [
          {
            networkId: network.id,
            network: title,
            band,
            dbm: Math.max(-150, Math.min(0, Math.round(loudness(loudest)))),
            about: loudest.signal === null,
          },
        ];
      return network.hidden || name === null || !network.bands.includes(band)
        ? []
        : [{ networkId: network.id, network: title, band, dbm: null, about: false }];
    });
  });
}
