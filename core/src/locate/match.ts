import { compareAddresses } from './subnet';

/** How sure a match is. */
export type Standing = 'proved' | 'likely' | 'guess';

/** One observation of a host on the network. */
export interface Sighting {
  id: string;
  address: string;
  port: number;
  hardwareAddress: string | null;
  banner: string | null;
  /** Host key as `type base64`, without comment; null when the host showed none. */
  hostKey: string | null;
  /** Whether the host proved by its signature that it holds the private key (RFC 4253 section 8). */
  keyProven: boolean;
  /** Milliseconds since 1970. */
  at: number;
}

/** A device as it is looked for. */
export interface Wanted {
  deviceId: string;
  hostKey: string | null;
}

export interface Match {
  deviceId: string;
  sighting: Sighting;
  standing: Standing;
  evidence: string;
  /** Other addresses that proved the same key in the latest sightings: a card was copied, or a board moved. */
  alsoAt: string[];
}

export interface MatchResult {
  matches: Match[];
  /** Hosts that are none of the batch's devices. */
  strangers: Sighting[];
  missing: string[];
}

/** The newest sighting of each address. */
function newest(sightings: readonly Sighting[]): Sighting[] {
  const byAddress = new Map<string, Sighting>();
  for (const sighting of sightings) {
    const known = byAddress.get(sighting.address);
    if (!known || known.at <= sighting.at) byAddress.set(sighting.address, sighting);
  }
  return [...byAddress.values()].sort((a, b) => compareAddresses(a.address, b.address));
}

/**
 * Assigns sightings to devices by host key. A key that was only shown, without the signature that proves its
 * possession, makes the match a guess: anybody can show a public key.
 */
export function matchSightings(wanted: readonly Wanted[], sightings: readonly Sighting[]): MatchResult {
  const byKey = new Map(
    wanted.flatMap(({ deviceId, hostKey }) => (hostKey ? [[hostKey, deviceId] as const] : [])),
  );
  const found = new Map<string, Match>();
  const strangers: Sighting[] = [];
  for (const sighting of newest(sightings)) {
    const deviceId = sighting.hostKey === null ? undefined : byKey.get(sighting.hostKey);
    if (deviceId === undefined) {
      strangers.push(sighting);
      continue;
    }
    const match: Match = {
      deviceId,
      sighting,
      standing: sighting.keyProven ? 'proved' : 'guess',
      evidence: sighting.keyProven
        ? 'Its host key is the one made for this device, and it signed with it.'
        : 'It shows this device’s host key, but did not prove that it holds it.',
      alsoAt: [],
    };
    const known = found.get(deviceId);
    if (!known) found.set(deviceId, match);
    else {
      const better =
        known.standing === match.standing
          ? known.sighting.at >= match.sighting.at
            ? known
            : match
          : known.standing === 'proved'
            ? known
            : match;
      const other = better === known ? match : known;
      better.alsoAt = [...better.alsoAt, ...other.alsoAt, other.sighting.address];
      found.set(deviceId, better);
    }
  }
  const missing = wanted.map(({ deviceId }) => deviceId).filter((deviceId) => !found.has(deviceId));
  return { matches: [...found.values()], strangers, missing };
}
