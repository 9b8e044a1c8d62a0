import {
  checkCard,
  firstBootMethod,
  settingsOf,
  textOf,
  type BootFiles,
  type CardCheck,
  type CardComparison,
  type CardFile,
  type MarkFile,
} from '@nest-mark/core';
import { cardSettings, gather } from './card-material';
import type { Context } from './context';

/** What a device's card would be checked as, were it written now. */
const checkOf = (files: readonly CardFile[]): CardCheck =>
  checkCard({
    names: files.map(({ path }) => path),
    files: files.map(({ path, content }) => ({ name: path, content })),
    label: '',
    bootedAs: null,
  });

const contentOf = (boot: BootFiles, name: string): string | null => {
  const file = boot.files.find((one) => one.name.toLowerCase() === name);
  try {
    return file ? textOf(file.content) : null;
  } catch {
    return null;
  }
};

/**
 * What of user-data is the same each time: the password hash has a new salt at each writing, and OpenSSH's private form
 * holds numbers that are drawn anew. The host key itself is told by its public half.
 */
const steady = (text: string): string =>
  text.replace(/^.*(hashed_passwd|passwd):.*$/gm, '').replace(/^\s*[A-Za-z0-9+/=]{16,70}$/gm, '');

/** What of the plan is otherwise now than on the card, in words; secrets are compared and never told. */
function changesOf(boot: BootFiles, now: readonly CardFile[]): string[] {
  const there = checkCard(boot).settings;
  const wanted = checkOf(now).settings;
  const changes: string[] = [];
  const networks = (list: typeof there.networks): string =>
    JSON.stringify([...list].sort((a, b) => a.ssid.localeCompare(b.ssid)));
  if (there.hostName !== wanted.hostName)
    changes.push(
      `The device is called ${wanted.hostName ?? 'nothing'} now, not ${there.hostName ?? 'nothing'}.`,
    );
  if (there.country !== wanted.country)
    changes.push(`The country is ${wanted.country ?? 'none'} now, not ${there.country ?? 'none'}.`);
  const text = (name: string): string => {
    const file = now.find(({ path }) => path === name);
    return file ? textOf(file.content) : '';
  };
  if (networks(there.networks) !== networks(wanted.networks))
    changes.push(
      `It shall join ${wanted.networks.map(({ ssid }) => `"${ssid}"`).join(', ') || 'no network'} now, with other settings than on the card.`,
    );
  else if (contentOf(boot, 'network-config') !== text('network-config') && there.country === wanted.country)
    changes.push('The passphrase of a network was changed since.');
  const users = contentOf(boot, 'user-data');
  if (users !== null && there.hostName === wanted.hostName && steady(users) !== steady(text('user-data')))
    changes.push('Users, keys, time zone or another setting of the system were changed since.');
  return changes;
}

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
    const material = await gather(context, batch.id, roundId, imageId);
    const method = firstBootMethod(material.facts.method);
    if (!method) return { ...found, changes: ['The plan has another image now, which takes no settings.'] };
    const files = method.files(await cardSettings(context, material, device));
    return { ...found, changes: changesOf(boot, files) };
  } catch (error) {
    // A plan that is not ready cannot be compared; that is said instead of guessed.
    return {
      ...found,
      changes: [`It cannot be compared: ${error instanceof Error ? error.message : String(error)}`],
    };
  }
}
