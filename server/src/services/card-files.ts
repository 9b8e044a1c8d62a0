import {
  cardFilesOf,
  handSteps,
  handWayTitles,
  methodTitle,
  previewFiles,
  settingsOf,
  withoutSecrets,
  type CardFiles,
  type Device,
  type FirstBootSettings,
  type HandWay,
} from '@nest-mark/core';
import { Problem } from '../http/problems';
import { cardSettings, gather } from './card-material';
import { record, type Context } from './context';
import { needBatch } from './plans';

/** Stands for the writing that has not been made yet. */
const NOT_YET = 'new-at-each-writing';

/**
 * The first-boot files of a device as its card will get them, with what differs from another device of the batch.
 * @param reveal whether secrets are shown; that is logged
 * @throws Problem when there is no such device, or its plan is not ready for files
 */
export async function cardFiles(
  context: Context,
  batchId: string,
  deviceId: string,
  reveal: boolean,
): Promise<CardFiles> {
  const batch = await needBatch(context, batchId);
  const { plan } = batch;
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw new Problem(404, 'device-missing', 'There is no such device in the plan.');
  const { imageId } = settingsOf(plan, device);
  const image = imageId === null ? null : await context.images.find(imageId);
  if (!image?.facts)
    throw new Problem(
      409,
      'image-missing',
      'Choose an image for this device first; it says which files it reads.',
    );
  const material = await gather(context, batch, NOT_YET, imageId).catch((error: unknown) => {
    throw new Problem(409, 'not-ready', error instanceof Error ? error.message : String(error));
  });
  const { method, base } = material;
  const shown = async (one: Device): Promise<FirstBootSettings> => {
    const settings = await cardSettings(context, material, one).catch((error: unknown) => {
      throw new Problem(
        409,
        'not-ready',
        `The files cannot be made yet: ${error instanceof Error ? error.message : String(error)}`,
      );
    });
    return reveal ? settings : withoutSecrets(settings);
  };
  const twin = plan.devices.find(
    (other) => other.id !== device.id && settingsOf(plan, other).imageId === imageId,
  );
  const settings = await shown(device);
  const files = previewFiles(
    cardFilesOf(method, settings, base),
    twin ? cardFilesOf(method, await shown(twin), base) : [],
  );
  if (reveal)
    await record(context, {
      kind: 'revealed',
      batchId,
      deviceId,
      text: `The first-boot files of ${device.hostName} were shown on the screen with their secrets.`,
    });
  const ways = Object.keys(handWayTitles) as HandWay[];
  return {
    method: methodTitle(method),
    reason: image.view.about.chosenMethod === null ? image.facts.methodReason : 'It was chosen under Images.',
    image: image.title,
    files,
    byHand:
      method === 'none'
        ? ways.map((way) => ({ way: handWayTitles[way], steps: handSteps(settings, way) }))
        : [],
  };
}
