import { clock, type DeviceStanding } from '@nest-mark/core';

/** What stands beside a ring: the state, or what a hand is needed for, and for how long. */
export interface StandingWords {
  word: string;
  since: string;
  hand: boolean;
}

/**
 * Words for a device's standing.
 * @param now milliseconds since 1970
 */
export function standingWords(standing: DeviceStanding, now: number): StandingWords {
  const notched = standing.ring.find((arc) => arc.mode === 'notched' && arc.word !== 'plan');
  const since = standing.since === null ? '' : clock((now - standing.since) / 1000);
  return { word: notched?.word ?? standing.state, since, hand: standing.needsHand };
}
