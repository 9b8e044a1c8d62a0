import type { Passport, Plan } from '@nest-mark/core';
import { shippedSteps, stepOf } from '@nest-mark/core/bring-up';
import { problem } from '../platform/http/problems';
import type { Passports } from './domain';

/**
 * Everything that is on record about one device of a batch, retired or not. The plan is given, since who asks for many
 * must not read it for each.
 * @throws Problem
 */
export async function passportOf(
  { plans, rounds, finding, bringUps, terminals }: Passports,
  { id: batchId, plan }: { id: string; plan: Plan },
  deviceId: string,
): Promise<Passport> {
  const record = await plans.repository.recordOf(batchId, deviceId);
  if (!record) throw problem('device-missing');
  const { hostKey, fingerprint, retired, takenOver, secretsForgottenAt } = record;
  const [cards, sightings, times, kept] = await Promise.all([
    rounds.repository.cardsOf(deviceId),
    hostKey === null ? [] : finding.repository.ofKey(batchId, hostKey),
    bringUps.repository.ofDevice(deviceId),
    terminals.repository.ofDevice(deviceId),
  ]);
  const titles = new Map(
    [...shippedSteps, ...plan.bringUp.own.map(stepOf)].map(({ id, title }) => [id, title]),
  );
  const broughtUp = times.map(({ at, state, message, steps }) => ({
    at,
    state,
    message,
    // Of a step that left the plan since its id is all that is left.
    steps: steps.map((step) => ({ ...step, title: titles.get(step.stepId) ?? step.stepId })),
  }));
  return {
    batchId,
    deviceId,
    hostKey,
    fingerprint,
    retired,
    takenOver,
    secretsForgottenAt,
    cards,
    sightings,
    broughtUp,
    terminals: kept,
  };
}
