import { settingsOf } from '../plan/effective';
import type { Device, Plan } from '../plan/model';

/** What becomes of a device when its card is written once more. */
export interface WhatStays {
  /** Things that are as before, in words for a list. */
  stays: readonly string[];
  /** Things that are not. */
  goes: readonly string[];
}

/**
 * What stays and what goes when a device that was there before is prepared again.
 * @param forgotten whether the bench forgot its secrets: then its card cannot be written
 */
export function whatStays(plan: Plan, device: Device, forgotten: boolean): WhatStays {
  const settings = settingsOf(plan, device);
  if (forgotten)
    return {
      stays: [`its mark ${device.mark} and everything on record about it`],
      goes: ['its host key: the bench forgot the private half, so no card can be written for it'],
    };
  return {
    stays: [
      `its mark ${device.mark}, its label, its nest and its place in the records`,
      'its host key, so that nobody’s known hosts change',
      `the name ${device.hostName} and the settings that the plan has for it now`,
      ...(settings.passwordLogin
        ? [
            plan.access.passwordScope === 'each'
              ? 'its own password'
              : 'the password that all devices of the batch share',
          ]
        : []),
      ...(plan.vpn.wanted ? ['its key and its address in the VPN'] : []),
    ],
    goes: [
      'everything that is on the card: take off it first what is wanted',
      ...(plan.bringUp.wanted ? ['updates and what else was done on it: it is brought up anew'] : []),
      ...(plan.bringUp.benchKey ? ['that the bench’s key was taken off: it is on the new card again'] : []),
      'the notes that it was powered, handed over and taken over',
    ],
  };
}
