import {
  cardChanges,
  checkCardWhole,
  saltOnCard,
  settingsOf,
  type BootFiles,
  type CardComparison,
  type MarkFile,
  type SlotCheck,
} from '@nest-mark/core';
import { filesFor, gather } from './card-material';
import type { Context } from './context';

/**
 * Compares a card that was written here with what its device's plan says now.
 * @returns null when it was not written here, or its batch is gone
 */
export async function compareWithPlan(
  context: Context,
  boot: BootFiles,
  label: MarkFile | null,
): Promise<CardComparison | null> {
  const isId = (text: string): boolean => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(text);
  if (!label || !isId(label.batchId)) return null;
  const batch = await context.batches.find(label.batchId);
  if (!batch) return null;
  const roundId = label.writing.slice(label.mark.length + 1);
  const round = isId(roundId) ? await context.rounds.find(roundId) : null;
  const found = { batchName: batch.plan.name, writtenAt: round?.startedAt ?? null };
  const device = batch.plan.devices.find(({ id }) => id === label.deviceId);
  if (!device) return { ...found, changes: ['Its device is no longer in the plan.'] };
  const { imageId } = settingsOf(batch.plan, device);
  try {
    const material = await gather(context, batch, roundId, imageId);
    const files = await filesFor(context, { ...material, salt: saltOnCard(boot) }, device);
    return { ...found, changes: cardChanges(boot, files) };
  } catch (error) {
    // A plan that is not ready cannot be compared; that is said instead of guessed.
    return {
      ...found,
      changes: [`It cannot be compared: ${error instanceof Error ? error.message : String(error)}`],
    };
  }
}

/** What was found of first-boot files, with the plan that they were written for. */
export async function tellCheck(context: Context, boot: BootFiles): Promise<SlotCheck> {
  const { findings, ...rest } = checkCardWhole(boot);
  const plan = await compareWithPlan(context, boot, rest.mark);
  return {
    ...rest,
    plan,
    findings: findings.map(({ fix, ...finding }) => ({ ...finding, mendable: fix !== null })),
  };
}
