import { isCountedUp } from '../net/renamed';
import type { Host } from './hosts';

/** A device that is looked for, of any batch. Times are milliseconds since 1970. */
export interface Sought {
  deviceId: string;
  batchId: string;
  hostName: string;
  mark: string;
  /** As `type base64`; null where its image takes no key of ours. */
  hostKey: string | null;
  /** Hardware addresses at which it signed with its key, and until when. */
  hardware: readonly string[];
  /** Hardware addresses of which a person said that they are this device's board. */
  named: readonly string[];
  /** When its board was powered; null when nobody noted that. */
  poweredAt: number | null;
  /** Seconds that its first boot takes as a rule. */
  bootSeconds: number;
}

/** Something that speaks for a host being a device, or against it. */
export interface Evidence {
  /**
   * Binary logarithm of how much more often this is heard of the device itself than of another host. Values are common
   * practice, to be learnt from the bench's own log in time.
   */
  bits: number;
  /** In words, for people; begins with a small letter. */
  text: string;
}

/**
 * Weights in bits, with the reason for each; [when it fits, when something else is there]. What lies on the card, and
 * what the board calls itself, can be copied by anybody: neither of them ever proves.
 */
const weights = {
  /** Names repeat: there are old boards and copies. Another name may be the image's own, before its first boot ends. */
  name: [4, -3],
  /** Counted up after a conflict, so it was this name or one of its neighbours. */
  renamed: [2.5, 0],
  /** Drawn by us and never given twice. */
  mark: [6, -6],
  /** The board keeps it; a card may be moved, so another one says little. */
  hardware: [8, -1],
  /** Said by a person who powered one board and saw one host come; a slip is possible, a forged address too. */
  named: [9, 0],
  /** It has been another device's board; the card decides, and may have been moved. */
  others: [0, -2],
  /** Of all that is on a network, few begin to be heard in a given minute. */
  arrival: [4.5, -2],
  /** Heard before there was power: it cannot be it. */
  before: [0, -9],
  /** It has a login service that signs, and with a key that we did not make. */
  otherKey: [0, -12],
} as const;

/** Milliseconds after power-on before which no board is on a network (common practice; the fastest take 4 s). */
const SOONEST = 3000;
/** Milliseconds by which the note of the power-on may be late. */
const NOTE_LATE = 5000;
/** Times of its usual first boot until which an arrival is in time. */
const ARRIVES_WITHIN = 3;

const equal = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();

const namesIn = (host: Host): string => [...new Set(host.names.map(({ name }) => name))].join(', ');

/** Names come from one place, the board's own; so they count once, by the one that fits best. */
function byName({ hostName }: Sought, host: Host): Evidence | null {
  if (host.names.length === 0 || hostName === '') return null;
  if (host.names.some(({ name }) => equal(name, hostName)))
    return { bits: weights.name[0], text: `it calls itself ${hostName}` };
  const renamed = host.names.find(({ name }) => isCountedUp(hostName, name));
  if (renamed)
    return {
      bits: weights.renamed[0],
      text: `it calls itself ${renamed.name}, as a host does that finds ${hostName} taken`,
    };
  return { bits: weights.name[1], text: `it calls itself ${namesIn(host)}` };
}

function byMark({ mark }: Sought, host: Host): Evidence | null {
  if (host.marks.length === 0) return null;
  return host.marks.includes(mark)
    ? { bits: weights.mark[0], text: `it tells the mark ${mark}, which stands on this device’s card` }
    : { bits: weights.mark[1], text: `it tells another mark, ${host.marks.join(', ')}` };
}

function byHardware(
  { deviceId, hardware, named }: Sought,
  { hardwareAddress }: Host,
  owners: ReadonlyMap<string, string>,
): Evidence | null {
  if (hardwareAddress === null) return null;
  if (hardware.includes(hardwareAddress))
    return { bits: weights.hardware[0], text: `it has the hardware address at which this device was proved` };
  const owner = owners.get(hardwareAddress);
  if (owner !== undefined && owner !== deviceId)
    return { bits: weights.others[1], text: 'it has the hardware address of another device’s board' };
  if (named.includes(hardwareAddress))
    return { bits: weights.named[0], text: 'a person said that this board is it' };
  return hardware.length > 0
    ? { bits: weights.hardware[1], text: 'it is another board than the one that was proved' }
    : null;
}

/** Milliseconds since 1970 within which a host has to be heard first to have come with a power-on; null without one. */
export function arrivalWindow({ poweredAt, bootSeconds }: Sought): { from: number; to: number } | null {
  if (poweredAt === null) return null;
  const within = Math.max(60_000, bootSeconds * 1000 * ARRIVES_WITHIN);
  return { from: poweredAt + SOONEST, to: poweredAt + within };
}

function byArrival(sought: Sought, { since }: Host): Evidence | null {
  const window = arrivalWindow(sought);
  if (sought.poweredAt === null || !window) return null;
  const after = since - sought.poweredAt;
  if (after < -NOTE_LATE)
    return { bits: weights.before[1], text: 'it was there before this board was powered' };
  if (since < window.from) return null;
  return since <= window.to
    ? {
        bits: weights.arrival[0],
        text: `it came ${String(Math.round(after / 1000))} s after this board was powered`,
      }
    : { bits: weights.arrival[1], text: 'it came long after this board was powered' };
}

function byKey({ hostKey }: Sought, { sightings: [last] }: Host): Evidence | null {
  if (hostKey === null || !last?.keyProven || last.hostKey === hostKey) return null;
  return {
    bits: weights.otherKey[1],
    text: 'it signs with another key than the one that was made for this device',
  };
}

/** Everything that speaks for a host being a device, or against it, the weightiest first. */
export function evidenceFor(sought: Sought, host: Host, owners: ReadonlyMap<string, string>): Evidence[] {
  return [
    byMark(sought, host),
    byHardware(sought, host, owners),
    byName(sought, host),
    byArrival(sought, host),
    byKey(sought, host),
  ]
    .filter((one) => one !== null)
    .sort((a, b) => Math.abs(b.bits) - Math.abs(a.bits));
}
