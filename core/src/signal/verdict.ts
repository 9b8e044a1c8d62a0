import { counted, grouped } from '../listed';
import type { WifiBand } from '../wifi/network';
import { shownLevel, type Strength } from '../wifi/signal';
import type { Reading } from './model';
import { spotsOf, type Spot } from './spots';

/** What boards of some bands can expect at a place. */
export interface Expectation {
  /** How many boards have just these bands. */
  count: number;
  bands: readonly WifiBand[];
  strength: Strength | 'unknown';
  /** The strongest that they hear; null where they hear nothing, or nobody listened. */
  best: Spot | null;
  text: string;
}

const level = ({ latest }: Spot): number => latest.dbm ?? -Infinity;

function textOf(bands: readonly WifiBand[], strength: Expectation['strength'], best: Spot | null): string {
  if (strength === 'unknown')
    return `Nobody listened there on ${bands.length === 0 ? 'any band' : bands.join(' or ')} yet.`;
  if (!best || best.latest.dbm === null) return `Not heard there on ${bands.join(' or ')}.`;
  const { dbm, about, band, network } = best.latest;
  const said = `${shownLevel(dbm, about)} on ${band} from “${network}”`;
  if (strength === 'sound') return `Well heard: ${said}.`;
  if (strength === 'fair')
    return `Enough, with little to spare: ${said}. Doors, bodies and wet walls take some.`;
  return `Expect trouble: ${said}. Move the access point or the board, or give it another antenna, and walk there again.`;
}

/**
 * What the boards of a plan can expect at one place, by the bands of their radios. The strongest network of the plan
 * counts that they hear.
 * @param spots of that place
 * @param groups boards by their bands
 * @param planned ids of the plan's networks; what else was read there counts for nothing
 */
export function expectations(
  spots: readonly Spot[],
  groups: readonly { bands: readonly WifiBand[]; count: number }[],
  planned: ReadonlySet<string>,
): Expectation[] {
  return groups.map(({ bands, count }) => {
    const there = spots.filter(({ latest }) => planned.has(latest.networkId) && bands.includes(latest.band));
    const [best = null] = there.toSorted((a, b) => level(b) - level(a));
    const strength = best?.strength ?? 'unknown';
    return { count, bands, strength, best, text: textOf(bands, strength, best) };
  });
}

/** Of whom an expectation speaks. */
export const boardsWith = ({ count, bands }: Pick<Expectation, 'count' | 'bands'>, all: number): string =>
  count === all ? `all ${counted(all, 'board')}` : `${counted(count, 'board')} with ${bands.join(' and ')}`;

/** A place, what was read there, and what boards can expect. */
export interface Walked {
  place: string;
  spots: [Spot, ...Spot[]];
  expectations: Expectation[];
}

/** The whole walk, place by place. See `expectations` for what is given. */
export const walked = (
  readings: readonly Reading[],
  groups: Parameters<typeof expectations>[1],
  planned: ReadonlySet<string>,
): Walked[] =>
  [...grouped(spotsOf(readings), ({ place }) => place)].map(([place, spots]) => ({
    place,
    spots,
    expectations: expectations(spots, groups, planned),
  }));
