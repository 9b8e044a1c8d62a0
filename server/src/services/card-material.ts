import {
  firstBootMethod,
  personalise,
  preSharedKey,
  publicKeyText,
  settingsOf,
  ssidBytes,
  usableKeys,
  wepKey,
  type Device,
  type FirstBootSettings,
  type Join,
  type NetworkSettings,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { CardError, FileSource, shelfFiles, type GangCard, type ShelvedImage } from '@nest-mark/station';
import { shelfFolder, type Context } from './context';
import { hashPassword } from './hash-password';
import { networkSecret } from './networks';
import { deviceHostKey, devicePassword, needBatch, sharedPassword } from './plans';

/** Everything that the cards of one round are made from. */
export interface Material {
  batchId: string;
  roundId: string;
  facts: ShelvedImage;
  folder: string;
  plan: Plan;
  devices: ReadonlyMap<string, Device>;
  networks: ReadonlyMap<string, ShelvedNetwork>;
  /** The password of the batch, in clear for hashing. */
  password: string | null;
  /** Keys that were worked out already: 4096 rounds are not done again for each card. */
  keys: Map<string, string>;
}

/** Cards of a round by the image that their devices get, as the plan says now. */
export async function byImage<Card extends { deviceId: string }>(
  context: Context,
  batchId: string,
  cards: readonly Card[],
): Promise<{ imageId: string | null; cards: Card[] }[]> {
  const { plan } = await needBatch(context, batchId);
  const devices = new Map(plan.devices.map((device) => [device.id, device]));
  const groups = new Map<string | null, Card[]>();
  for (const card of cards) {
    const device = devices.get(card.deviceId);
    const imageId = device ? settingsOf(plan, device).imageId : null;
    const group = groups.get(imageId);
    if (group) group.push(card);
    else groups.set(imageId, [card]);
  }
  return [...groups].map(([imageId, group]) => ({ imageId, cards: group }));
}

/** Gathers what the cards of one image need. @throws CardError when it is not there any more */
export async function gather(
  context: Context,
  batchId: string,
  roundId: string,
  imageId: string | null,
): Promise<Material> {
  const { plan } = await needBatch(context, batchId);
  if (imageId === null) throw new CardError('image', 'The plan has no image for these devices any more.');
  const image = await context.images.find(imageId);
  if (!image?.facts) throw new CardError('image', 'The image is no longer on the shelf.');
  return {
    batchId,
    roundId,
    plan,
    facts: image.facts,
    folder: shelfFolder(context, image.id),
    devices: new Map(plan.devices.map((device) => [device.id, device])),
    networks: new Map((await context.networks.list()).map((network) => [network.id, network])),
    password: await sharedPassword(context, batchId),
    keys: new Map(),
  };
}

/** What of a network's key goes onto the card: never more than the format needs. */
async function writtenKey(
  context: Context,
  material: Material,
  network: ShelvedNetwork,
  name: Uint8Array,
): Promise<string> {
  if (network.security === 'open') return '';
  const known = material.keys.get(network.id);
  if (known !== undefined) return known;
  const secret = (await networkSecret(context, network.id)) ?? '';
  const key =
    network.security === 'wpa3-sae'
      ? secret
      : network.security === 'wep'
        ? (wepKey(secret) ?? '')
        : preSharedKey(name, secret);
  material.keys.set(network.id, key);
  return key;
}

async function networkSettings(
  context: Context,
  material: Material,
  { networkId, priority }: Join,
): Promise<NetworkSettings> {
  const network = material.networks.get(networkId);
  const ssid = network ? ssidBytes(network) : null;
  if (!network || !ssid) throw new CardError('image', 'A network of the plan is no longer on the shelf.');
  const { security, hidden } = network;
  return { ssid, security, hidden, priority, key: await writtenKey(context, material, network, ssid) };
}

const keyTexts = (text: string): string[] =>
  usableKeys(text).map((key) => `${publicKeyText(key)} ${key.comment}`.trim());

/** The settings of one device as its card tells them. @throws CardError */
export async function cardSettings(
  context: Context,
  material: Material,
  device: Device,
): Promise<FirstBootSettings> {
  const { plan } = material;
  const settings = settingsOf(plan, device);
  const networks: NetworkSettings[] = [];
  for (const join of settings.networks) networks.push(await networkSettings(context, material, join));
  const password = !settings.passwordLogin
    ? null
    : plan.access.passwordScope === 'each'
      ? await devicePassword(context, device.id)
      : material.password;
  return {
    batchId: material.batchId,
    batchName: plan.name,
    deviceId: device.id,
    mark: device.mark,
    nest: device.nest,
    hostName: device.hostName,
    hostKey: await deviceHostKey(context, device),
    user: {
      name: settings.userName,
      keys: keyTexts(settings.keys),
      passwordLogin: settings.passwordLogin,
      passwordHash: password === null ? null : await hashPassword(password),
    },
    others: plan.access.others.map(({ name, keys, sudo }) => ({ name, sudo, keys: keyTexts(keys) })),
    networks,
    country: settings.country,
    timeZone: settings.timeZone,
    locale: settings.locale,
    instanceId: `${device.mark}-${material.roundId}`,
  };
}

/** What one device's card gets over the base. @throws CardError */
export async function patchesFor(
  context: Context,
  material: Material,
  deviceId: string,
): Promise<GangCard['patches']> {
  const { facts } = material;
  const device = material.devices.get(deviceId);
  const method = firstBootMethod(facts.method);
  if (!device || !method || facts.bootOffset === null || facts.bootSize === null)
    throw new CardError('image', 'The device left the plan, or its image cannot take settings.');
  const settings = await cardSettings(context, material, device);
  const boot = await FileSource.open(shelfFiles(material.folder).boot);
  try {
    return await personalise(
      boot,
      { offset: facts.bootOffset, size: facts.bootSize },
      method.files(settings),
    );
  } finally {
    await boot.close();
  }
}
