import { deviceStanding, type Arc } from '@nest-mark/core';
import type { DeviceView } from '../state/selectors';
import type { StableRings } from './stable-rings';
import { standingWords, type StandingWords } from './words';

/** A device as any tray shows it. */
export interface DeviceCell {
  nest: string;
  view: DeviceView;
  ring: readonly Arc[];
  words: StandingWords;
  /** Everything that is drawn, in words. */
  label: string;
  selected: boolean;
}

/** @param now milliseconds since 1970 */
export function deviceCell(
  view: DeviceView,
  now: number,
  rings: StableRings,
  chosen: ReadonlySet<string>,
): DeviceCell {
  const standing = deviceStanding(view.facts, now);
  const words = standingWords(standing, now);
  const { nest, hostName, mark, id } = view.device;
  return {
    nest,
    view,
    ring: rings.of(id, standing.ring),
    words,
    label: `${nest}, ${hostName || 'no name'}, mark ${[...mark].join(' ')}, ${words.word}`,
    selected: chosen.has(id),
  };
}

/** The device whose cell of a tray was met; undefined beside all of them. */
export const deviceAt = ({ target }: Event): string | undefined =>
  target instanceof Element ? target.closest<HTMLElement>('[data-device]')?.dataset['device'] : undefined;
