import { compareAddresses, isSix } from '../net/subnet';

/** How sure a match is. */
export type Standing = 'proved' | 'likely' | 'guess';

/** One observation of a host on the network. */
export interface Sighting {
  id: string;
  /** The search that saw it. */
  searchId: string;
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
  /** Other addresses that the newest search of this device had sign with the same key: its card was copied. */
  alsoAt: string[];
}

/** A host that is none of the batch's devices. */
export interface Stranger extends Sighting {
  /** Whose key it shows without having signed with it; null for one that is not known here. */
  showsKeyOf: string | null;
}

export interface MatchResult {
  matches: Match[];
  /** Hosts that are none of the batch's devices. */
  strangers: Stranger[];
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

/** A board has addresses of both kinds at once; IPv4 is what people type. */
const fourFirst = (a: Sighting, b: Sighting): number => Number(isSix(a.address)) - Number(isSix(b.address));

const signed = (sighting: Sighting): boolean => sighting.keyProven;

/**
 * The sightings by which a device is judged: of those that signed, the ones of the newest search in which any did; of
 * those that only show its key, the newest one, and only where nobody ever signed. A place where the key signed in an
 * earlier search tells where the board was, not that there are two of it.
 */
function judged(sightings: readonly Sighting[]): Sighting[] {
  const proofs = sightings.filter(signed);
  const last = (among: readonly Sighting[]): Sighting | undefined =>
    among.reduce<Sighting | undefined>((best, one) => (best && best.at >= one.at ? best : one), undefined);
  const newestProof = last(proofs);
  if (newestProof) return proofs.filter(({ searchId }) => searchId === newestProof.searchId);
  const shown = last(sightings);
  return shown ? [shown] : [];
}

/**
 * Assigns sightings to devices by host key. A key that was only shown, without the signature that proves its
 * possession, makes the match a guess: anybody can show a public key. Such a host beside one that signed is a stranger.
 */
export function matchSightings(wanted: readonly Wanted[], sightings: readonly Sighting[]): MatchResult {
  const byKey = new Map(
    wanted.flatMap(({ deviceId, hostKey }) => (hostKey ? [[hostKey, deviceId] as const] : [])),
  );
  const byDevice = new Map<string, Sighting[]>();
  const strangers: Stranger[] = [];
  for (const sighting of newest(sightings)) {
    const deviceId = sighting.hostKey === null ? undefined : byKey.get(sighting.hostKey);
    if (deviceId === undefined) strangers.push({ ...sighting, showsKeyOf: null });
    else byDevice.set(deviceId, [...(byDevice.get(deviceId) ?? []), sighting]);
  }
  const matches: Match[] = [];
  for (const [deviceId, seen] of byDevice) {
    const [sighting, ...others] = judged(seen).sort(fourFirst);
    if (!sighting) continue;
    matches.push({
      deviceId,
      sighting,
      standing: sighting.keyProven ? 'proved' : 'guess',
      evidence: sighting.keyProven
        ? 'Its host key is the one made for this device, and it signed with it.'
        : 'It shows this device’s host key, but did not prove that it holds it.',
      alsoAt: others
        .filter(({ address }) => isSix(address) === isSix(sighting.address))
        .map(({ address }) => address),
    });
    for (const one of seen)
      if (!one.keyProven && one !== sighting) strangers.push({ ...one, showsKeyOf: deviceId });
  }
  const found = new Set(matches.map(({ deviceId }) => deviceId));
  const missing = wanted.map(({ deviceId }) => deviceId).filter((deviceId) => !found.has(deviceId));
  strangers.sort((a, b) => compareAddresses(a.address, b.address));
  return { matches, strangers, missing };
}
