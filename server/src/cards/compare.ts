import {
  cardChanges,
  checkCardWhole,
  firstBootMethod,
  INSTANCE_FILE,
  saltOnCard,
  settingsOf,
  textOrNull,
  type BootFiles,
  type CardComparison,
  type MarkFile,
  type OwnMethod,
  type SlotCheck,
} from '@nest-mark/core';
import { reasonOf } from '../platform/http/problems';
import { cardSettings, filesBy, gather, onceMore } from './material';
import type { Cards } from './domain';

/** Methods that people described, that of a card's image first. */
export const knownMethods = (cards: Cards, first: OwnMethod | null = null): Promise<OwnMethod[]> =>
  cards.plans.images.methods.repository.known(first);

/** Files beside the usual ones that a description reads. */
export const knownPaths = async (cards: Cards): Promise<string[]> =>
  (await knownMethods(cards)).flatMap(({ description }) => description.files.map(({ path }) => path));

/** Whether the settings of a card were written anew after the card itself. */
const isAgain = (boot: BootFiles, { writing }: MarkFile): boolean => {
  const file = boot.files.find(({ name }) => name.toLowerCase() === INSTANCE_FILE);
  const [, instance] =
    /^instance-id:[ \t]*["']?([^"'\r\n]*)/m.exec(textOrNull(file?.content ?? new Uint8Array()) ?? '') ?? [];
  return instance !== undefined && instance.trim() !== writing;
};

/**
 * Compares a card that was written here with what its device's plan says now.
 * @returns null when it was not written here, or its batch is gone
 */
export async function compareWithPlan(
  cards: Cards,
  boot: BootFiles,
  label: MarkFile | null,
): Promise<CardComparison | null> {
  const isId = (text: string): boolean => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(text);
  if (!label || !isId(label.batchId)) return null;
  const batch = await cards.plans.repository.find(label.batchId);
  if (!batch) return null;
  const roundId = label.writing.slice(label.mark.length + 1);
  const round = isId(roundId) ? await cards.runs.repository.find(roundId) : null;
  const found = { batchName: batch.plan.name, writtenAt: round?.queuedAt ?? null };
  const device = batch.plan.devices.find(({ id }) => id === label.deviceId);
  if (!device) return { ...found, changes: ['Its device is no longer in the plan.'] };
  const { imageId } = settingsOf(batch.plan, device);
  try {
    const material = await gather(cards, batch, roundId, imageId);
    const own = await knownMethods(cards, material.own);
    const salted = { ...material, salt: saltOnCard(boot, own) };
    const settings = await cardSettings(cards, salted, device);
    const files = await filesBy(salted, salted, isAgain(boot, label) ? onceMore(settings) : settings);
    return { ...found, changes: cardChanges(boot, files, own) };
  } catch (error) {
    // A plan that is not ready cannot be compared; that is said instead of guessed.
    return {
      ...found,
      changes: [`It cannot be compared: ${reasonOf(error)}`],
    };
  }
}

/** What was found of first-boot files, with the plan that they were written for. */
export async function tellCheck(cards: Cards, boot: BootFiles): Promise<SlotCheck> {
  const { findings, ...rest } = checkCardWhole(boot, await knownMethods(cards));
  const plan = await compareWithPlan(cards, boot, rest.mark);
  return {
    ...rest,
    plan,
    again: plan !== null && (firstBootMethod(rest.acts)?.again ?? null) !== null,
    findings: findings.map(({ fix, ...finding }) => ({ ...finding, mendable: fix !== null })),
  };
}
