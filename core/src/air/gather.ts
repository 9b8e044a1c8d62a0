import { grouped } from '../listed';
import { fromHex, textOrNull } from '../bytes';
import { isWeakSignal } from '../wifi/signal';
import { lookAlikesOf } from './look-alikes';
import type { HeardNetwork, HeardPoint } from './model';

/** How loud a point is, for an order. */
export const loudness = ({ signal, quality }: Pick<HeardPoint, 'signal' | 'quality'>): number =>
  signal ?? (quality === null ? -200 : quality / 2 - 100);

/** Whether the loudest point of a network is too weak to rely on; false where no signal is told. */
export const isWeak = ({ points }: HeardNetwork): boolean => {
  const told = points.flatMap(({ signal }) => signal ?? []);
  return told.length > 0 && isWeakSignal(Math.max(...told));
};

const loudest = ({ points }: HeardNetwork): number => Math.max(...points.map(loudness));

/**
 * Access points as networks, the loudest first; those that keep their names are one without a name, at the end. A point
 * that is heard twice, as hidden ones are that answered to their name, counts once, with its name.
 */
export function gathered(points: readonly HeardPoint[]): HeardNetwork[] {
  const byPoint = new Map<string, HeardPoint>();
  for (const point of points) {
    const before = byPoint.get(point.bssid);
    const better =
      !before ||
      (before.ssidHex === '' && point.ssidHex !== '') ||
      ((before.ssidHex === '') === (point.ssidHex === '') && loudness(point) > loudness(before));
    if (better) byPoint.set(point.bssid, point);
  }
  const names = grouped(byPoint.values(), ({ ssidHex }) => ssidHex);
  const alike = lookAlikesOf([...names.keys()]);
  return [...names]
    .map(([ssidHex, all]): HeardNetwork => {
      const octets = fromHex(ssidHex);
      return {
        ssidHex,
        text: octets && textOrNull(octets),
        points: all.toSorted((a, b) => loudness(b) - loudness(a)),
        lookAlikes: alike.get(ssidHex) ?? [],
      };
    })
    .sort((a, b) => Number(a.ssidHex === '') - Number(b.ssidHex === '') || loudest(b) - loudest(a));
}
