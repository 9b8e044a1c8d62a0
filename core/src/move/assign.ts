import type { Way, WayId } from './model';

/** A device with its ways, as they are chosen among. */
export interface Choosing {
  deviceId: string;
  ways: readonly Pick<Way, 'id' | 'open' | 'minutes'>[];
}

/**
 * Which way each device takes. A bridge has room for so many at once; who has no other way gets a place first, then who
 * loses most by another way. So no device is left without a way that could have one, and the minutes of hands are the
 * fewest there are (checked against every choice there is, in small cases). Ways stand in order of preference; among
 * those with room for all the first open one is taken.
 * @param room clients that the bridge takes; null for no bound
 */
export function chooseWays(devices: readonly Choosing[], room: number | null): Map<string, WayId | null> {
  const chosen = new Map<string, WayId | null>();
  const wanting: { deviceId: string; other: WayId | null; loss: number }[] = [];
  for (const { deviceId, ways } of devices) {
    const open = ways.filter((way) => way.open);
    const first = open[0] ?? null;
    const other = open.find(({ id }) => id !== 'bridge') ?? null;
    chosen.set(deviceId, first?.id ?? null);
    if (first?.id === 'bridge')
      wanting.push({
        deviceId,
        other: other?.id ?? null,
        loss: other ? other.minutes - first.minutes : Infinity,
      });
  }
  if (room === null || wanting.length <= room) return chosen;
  // Those that lose nothing by another way give their place up; sorting keeps the tray's order among equals.
  wanting.sort((a, b) => (a.loss === b.loss ? 0 : b.loss - a.loss));
  for (const { deviceId, other } of wanting.slice(room)) chosen.set(deviceId, other);
  return chosen;
}
