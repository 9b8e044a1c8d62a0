import {
  faultWords,
  handSteps,
  handWayTitles,
  methodTitle,
  ownFaults,
  ownMethodId,
  previewFiles,
  rootFilesOf,
  settingsOf,
  withoutSecrets,
  type CardFile,
  type CardFiles,
  type Device,
  type FirstBootSettings,
  type HandWay,
  type TriedMethod,
  type TryMethod,
} from '@nest-mark/core';
import { CardError } from '@nest-mark/station';
import { problem, reasonOf } from '../platform/http/problems';
import { cardSettings, filesBy, gather } from './material';
import { record } from '../platform/log/record';
import type { Cards } from './domain';
import { needBatch } from '../plans';

/** Stands for the id that a description does not have yet. */
const NO_ID = '00000000-0000-4000-8000-000000000000';

/** Stands for the writing that has not been made yet. */
const NOT_YET = 'new-at-each-writing';

/**
 * The first-boot files of a device as its card will get them, with what differs from another device of the batch.
 * @param reveal whether secrets are shown; that is logged
 * @throws Problem when there is no such device, or its plan is not ready for files
 */
export async function cardFiles(
  cards: Cards,
  batchId: string,
  deviceId: string,
  reveal: boolean,
): Promise<CardFiles> {
  const batch = await needBatch(cards.plans, batchId);
  const { plan } = batch;
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  const { imageId } = settingsOf(plan, device);
  const image = imageId === null ? null : await cards.plans.images.repository.find(imageId);
  if (!image?.facts) throw problem('image-not-chosen');
  const material = await gather(cards, batch, NOT_YET, imageId).catch((error: unknown) => {
    throw problem('files-not-ready', { why: reasonOf(error) });
  });
  const { method, own } = material;
  const made = async (settings: FirstBootSettings): Promise<CardFile[]> => {
    const files = await filesBy(material, material, settings).catch((error: unknown) => {
      throw problem('files-not-ready', { why: reasonOf(error) });
    });
    return [...files, ...rootFilesOf(settings)];
  };
  const shown = async (one: Device): Promise<FirstBootSettings> => {
    const settings = await cardSettings(cards, material, one).catch((error: unknown) => {
      throw problem('files-not-ready', { why: reasonOf(error) });
    });
    return reveal ? settings : withoutSecrets(settings);
  };
  const twin = plan.devices.find(
    (other) => other.id !== device.id && settingsOf(plan, other).imageId === imageId,
  );
  const settings = await shown(device);
  const files = previewFiles(await made(settings), twin ? await made(await shown(twin)) : []);
  if (reveal)
    await record(cards, {
      kind: 'revealed',
      batchId,
      deviceId,
      text: `The first-boot files of ${device.hostName} were shown on the screen with their secrets.`,
    });
  const ways = Object.keys(handWayTitles) as HandWay[];
  return {
    method: methodTitle(method, own),
    reason: image.view.about.chosenMethod === null ? image.facts.methodReason : 'It was chosen under Images.',
    image: image.title,
    files,
    byHand:
      method === 'none'
        ? ways.map((way) => ({ way: handWayTitles[way], steps: handSteps(settings, way) }))
        : [],
  };
}

/**
 * What a description would make for a device, before it is kept. The files are made twice: with the secrets, which may
 * be what cannot be said, and without, for showing.
 * @throws Problem when there is no such device or image, or the plan is not ready for files
 */
export async function tryMethod(
  cards: Cards,
  { description, imageId, batchId, deviceId }: TryMethod,
): Promise<TriedMethod> {
  const [fault] = ownFaults(description);
  if (fault) return { problem: faultWords(description, fault), files: [] };
  const batch = await needBatch(cards.plans, batchId);
  const device = batch.plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  const notReady = (error: unknown): never => {
    throw problem('files-not-ready', { why: reasonOf(error) });
  };
  const material = await gather(cards, batch, NOT_YET, imageId).catch(notReady);
  const settings = await cardSettings(cards, material, device).catch(notReady);
  const own = { id: NO_ID, description };
  const how = { method: ownMethodId(NO_ID), own };
  try {
    const paths = new Set(description.files.map(({ path }) => path.toLowerCase()));
    await filesBy(material, how, settings);
    const files = await filesBy(material, how, withoutSecrets(settings));
    return {
      problem: '',
      files: previewFiles(
        files.filter(({ path }) => paths.has(path.toLowerCase())),
        [],
      ),
    };
  } catch (error) {
    if (error instanceof CardError) return { problem: error.message, files: [] };
    throw error;
  }
}
