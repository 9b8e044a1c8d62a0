import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import {
  carriesHostKey,
  firstBootMethod,
  INSTANCE_FILE,
  MARK_ON_CARD,
  methodName,
  readBootFiles,
  readMark,
  settingsOf,
  type BootFiles,
  type CardFile,
  type Device,
  type SlotCheck,
} from '@nest-mark/core';
import type { MediumIdentity } from '@nest-mark/station';
import { deviceHostKey, type StoredBatch } from '../plans';
import { record } from '../platform/log/record';
import { problem, reasonOf } from '../platform/http/problems';
import { look, onBoot, sourceOf, withCard, writable } from './check-slot';
import { knownPaths } from './compare';
import type { Cards } from './domain';
import { cardSettings, filesBy, gather, onceMore, type Material } from './material';

const refuse = (why: string): Error => problem('settings-not-again', { why });

/** Whose card it is, by the file that names its device. @throws Problem */
async function ownerOf(
  cards: Cards,
  boot: BootFiles,
): Promise<{ batch: StoredBatch; device: Device; writing: string }> {
  const file = boot.files.find(({ name }) => name.toLowerCase() === MARK_ON_CARD);
  const mark = file ? readMark(file.content) : null;
  if (!mark) throw refuse('The card does not say whose it is: it was not written here.');
  const batchId = z.uuid().safeParse(mark.batchId);
  const batch = batchId.success ? await cards.plans.repository.find(batchId.data) : null;
  const device = batch?.plan.devices.find(({ id }) => id === mark.deviceId);
  if (!batch || device?.mark !== mark.mark)
    throw refuse(`The card is of the device ${mark.mark}, which is in no plan here any more.`);
  return { batch, device, writing: mark.writing };
}

/**
 * The files of a card whose settings are written anew: all tell of the writing that the card was made by, and the one that
 * says which instance it is says another one, so that they are taken in.
 */
async function filesAgain(
  cards: Cards,
  material: Material,
  device: Device,
  writing: string,
): Promise<CardFile[]> {
  const settings = { ...onceMore(await cardSettings(cards, material, device)), instanceId: writing };
  const instance = { ...settings, instanceId: `${device.mark}-${randomUUID()}` };
  const [files, anew] = await Promise.all([
    filesBy(material, material, settings),
    filesBy(material, material, instance),
  ]);
  const another = new Map(anew.map((file) => [file.path, file]));
  return files.map((file) => (file.path === INSTANCE_FILE ? (another.get(file.path) ?? file) : file));
}

/**
 * Writes the settings of the device whose card is in a slot anew, as its plan has them now, and nothing else: what its
 * board has stored stays. The board takes them in at its next start. Cut in the middle, it is done again.
 * @throws Problem when it is nobody's card, its method is read once only, or the medium must not be written
 */
export async function rewriteSettings(
  cards: Cards,
  slotId: string,
  identity: MediumIdentity,
): Promise<SlotCheck> {
  return withCard(cards, slotId, identity, async (handle, slot) => {
    await writable(cards, slot);
    const boot = await readBootFiles(sourceOf(handle), await knownPaths(cards));
    const { batch, device, writing } = await ownerOf(cards, boot);
    const { imageId } = settingsOf(batch.plan, device);
    const material = await gather(cards, batch, 'again', imageId).catch((error: unknown) => {
      throw problem('files-not-ready', { why: reasonOf(error) });
    });
    const method = firstBootMethod(material.method, material.own);
    if (!method?.again)
      throw refuse(
        `${methodName(material.method, material.own)}: this is read at the first start only, as far as is known here. Mend single findings under Card check, or write the card anew.`,
      );
    if (method.acts(boot) === null)
      throw refuse('The card has no file of the method of its image any more. Write the card anew.');
    const { publicLine } = await deviceHostKey(cards.plans, device).catch((error: unknown) => {
      throw problem('files-not-ready', { why: reasonOf(error) });
    });
    // A card from anywhere may name a device; it gets no secrets by that.
    if (!carriesHostKey(boot, publicLine))
      throw refuse(
        `The card names ${device.hostName} and does not have its host key, so its secrets are not put onto it. Write the card anew.`,
      );
    const names = new Set(method.again.map((name) => name.toLowerCase()));
    const files = await filesAgain(cards, material, device, writing).catch((error: unknown) => {
      throw problem('files-not-ready', { why: reasonOf(error) });
    });
    await onBoot(handle, async (volume) => {
      for (const { path, content } of files)
        if (names.has(path.toLowerCase())) await volume.writeFile(path, content);
    });
    await record(cards, {
      kind: 'card-settings',
      batchId: batch.id,
      deviceId: device.id,
      cardSerial: identity.serial,
      text: `The settings of ${device.hostName} were written anew onto its card in ${slot.title}; nothing else of it was changed.`,
    });
    return look(cards, handle);
  });
}
