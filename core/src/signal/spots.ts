import { grouped } from '../listed';
import { WifiBandSchema } from '../wifi/network';
import { strengthOf, type Strength } from '../wifi/signal';
import type { Reading } from './model';

/** A network on a band at a place: its newest reading counts, since walls, doors and access points are moved. */
export interface Spot {
  place: string;
  latest: Reading;
  strength: Strength;
  /** How many readings there are. */
  count: number;
  /** Weakest and strongest of them, in dBm; null where it was never heard. */
  range: { low: number; high: number } | null;
}

/** Readings as spots: places in the order in which each was first walked to, then by network and band. */
export function spotsOf(readings: readonly Reading[]): Spot[] {
  const inOrder = readings.toSorted((a, b) => a.at - b.at);
  const places = [...new Set(inOrder.map(({ place }) => place))];
  const spots = grouped(inOrder, ({ place, networkId, band }) => `${place}\n${networkId}\n${band}`);
  return [...spots.values()]
    .map((all): Spot => {
      const latest = all.at(-1) ?? all[0];
      const levels = all.flatMap(({ dbm }) => dbm ?? []);
      return {
        place: latest.place,
        latest,
        strength: strengthOf(latest.dbm),
        count: all.length,
        range: levels.length === 0 ? null : { low: Math.min(...levels), high: Math.max(...levels) },
      };
    })
    .sort(
      (a, b) =>
        places.indexOf(a.place) - places.indexOf(b.place) ||
        a.latest.network.localeCompare(b.latest.network) ||
        WifiBandSchema.options.indexOf(a.latest.band) - WifiBandSchema.options.indexOf(b.latest.band),
    );
}
