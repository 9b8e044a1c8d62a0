import {
  cardFilesOf,
  FatVolume,
  keyboardOf,
  linesOf,
  noBase,
  openRoot,
  passphraseKind,
  personalise,
  preSharedKey,
  publicKeyText,
  readBase,
  settingsOf,
  ssidBytes,
  usableKeys,
  wepKey,
  wordsOf,
  type BaseFiles,
  type CardFile,
  type Device,
  type FirstBootMethodId,
  type FirstBootSettings,
  type Join,
  type NetworkSettings,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { createHash, pbkdf2 } from 'node:crypto';
import { promisify } from 'node:util';
import { CardError, FileSource, shelfFiles, type GangCard, type ShelvedImage } from '@nest-mark/station';
import { shelfFolder, type Context } from './context';
import { hashPassword } from './hash-password';
import { deviceHostKey, devicePassword } from './identities';
import { networkSecret } from './networks';
import { sharedPassword } from './plans';

/** What an image gives to the cards that it is written to. */
export interface CardBase {
  imageId: string;
  facts: ShelvedImage;
  method: FirstBootMethodId;
  /** What of the image first-boot files are merged into. */
  base: BaseFiles;
  folder: string;
}

/** Everything that the settings of one image's cards are made from. */
export interface Material extends CardBase {
  batchId: string;
  roundId: string;
  plan: Plan;
  devices: ReadonlyMap<string, Device>;
  networks: ReadonlyMap<string, ShelvedNetwork>;
  /** The password of the batch, in clear for hashing. */
  password: string | null;
  /** Salt for passwords, where a card is compared; a new one each time otherwise. */
  salt: string | null;
  /** Keys that were worked out already: 4096 rounds are not done again for each card. */
  keys: Map<string, string>;
}

async function baseOf(facts: ShelvedImage, folder: string): Promise<BaseFiles> {
  if (facts.bootOffset === null || facts.bootSize === null) return noBase;
  const files = shelfFiles(folder);
  const [boot, disk] = [await FileSource.open(files.boot), await FileSource.open(files.image)];
  try {
    return await readBase(await FatVolume.openReadOnly(boot), await openRoot(disk, facts.partitions));
  } finally {
    await boot.close();
    await disk.close();
  }
}

const isHere = (context: Context, { station }: { station: string }): boolean =>
  station === '' || station === context.station;

/** An image on this station's shelf. @throws CardError when it is not there */
export async function cardBase(context: Context, imageId: string | null): Promise<CardBase> {
  if (imageId === null) throw new CardError('image', 'The plan has no image for these devices any more.');
  const planned = await context.images.find(imageId);
  if (!planned?.facts) throw new CardError('image', 'The image is no longer on the shelf.');
  // Each station writes from its own disk; of the same image it may have a copy of its own.
  const image = isHere(context, planned)
    ? planned
    : await context.images.findByDigest(planned.facts.rawSha256, context.station, planned.id);
  if (!image?.facts)
    throw new CardError(
      'image',
      `The image "${planned.title}" is on the shelf of the station "${planned.station}". Add it here too.`,
    );
  const folder = shelfFolder(context, image.id);
  return {
    imageId: image.id,
    facts: image.facts,
    // What a person said of the planned one holds for its copy too.
    method: planned.method,
    base: await baseOf(image.facts, folder),
    folder,
  };
}

/** Gathers what the settings of the cards of one image need. @throws CardError when it is not there any more */
export async function gather(
  context: Context,
  { id: batchId, plan }: { id: string; plan: Plan },
  roundId: string,
  imageId: string | null,
): Promise<Material> {
  return {
    ...(await cardBase(context, imageId)),
    batchId,
    roundId,
    plan,
    devices: new Map(plan.devices.map((device) => [device.id, device])),
    networks: new Map((await context.networks.list()).map((network) => [network.id, network])),
    password: await sharedPassword(context, batchId),
    salt: null,
    keys: new Map(),
  };
}

const derive = promisify(pbkdf2);

/**
 * The pre-shared key of a WPA network (IEEE Std 802.11-2020 annex J.4), worked out off this thread: 4096 rounds in
 * JavaScript would hold others up. Digits of a key, and what is neither, are left to the core.
 */
const wpaKey = async (name: Uint8Array, secret: string): Promise<string> =>
  passphraseKind(secret) === 'passphrase'
    ? (await derive(secret, name, 4096, 32, 'sha1')).toString('hex')
    : preSharedKey(name, secret);

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
        : await wpaKey(name, secret);
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
  const { extras } = plan;
  const settings = settingsOf(plan, device);
  const fixed = extras.wired.way === 'fixed' && settings.wiredAddress !== '';
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
      passwordHash: password === null ? null : await hashPassword(password, material.salt),
      sudo: extras.sudo,
      groups: wordsOf(extras.groups),
    },
    others: plan.access.others.map(({ name, keys, sudo }) => ({ name, sudo, keys: keyTexts(keys) })),
    networks,
    country: settings.country,
    timeZone: settings.timeZone,
    locale: settings.locale,
    keyboard: keyboardOf(extras.keyboard),
    wired: fixed
      ? {
          address: settings.wiredAddress,
          gateway: extras.wired.gateway.trim(),
          nameServers: wordsOf(extras.wired.nameServers),
        }
      : null,
    refresh: extras.refresh,
    packages: wordsOf(extras.packages),
    bootLines: extras.bootLines,
    files: extras.files,
    commands: linesOf(extras.commands),
    instanceId: `${device.mark}-${material.roundId}`,
  };
}

/** Every first-boot file of one device. @throws CardError */
export const filesFor = async (context: Context, material: Material, device: Device): Promise<CardFile[]> =>
  cardFilesOf(material.method, await cardSettings(context, material, device), material.base);

/** What a card gets over its base; nothing where the image has no boot partition. @throws CardError */
export async function patchesOf(
  { facts, folder, base }: CardBase,
  method: FirstBootMethodId,
  settings: FirstBootSettings,
): Promise<GangCard['patches']> {
  if (facts.bootOffset === null || facts.bootSize === null) {
    if (method !== 'none') throw new CardError('image', 'The image has no boot partition to take settings.');
    return [];
  }
  const boot = await FileSource.open(shelfFiles(folder).boot);
  try {
    const range = { offset: facts.bootOffset, size: facts.bootSize };
    return await personalise(boot, range, cardFilesOf(method, settings, base));
  } finally {
    await boot.close();
  }
}

/** What one device's card gets over the base, as the plan says. @throws CardError */
export async function patchesFor(
  context: Context,
  material: Material,
  deviceId: string,
): Promise<GangCard['patches']> {
  const device = material.devices.get(deviceId);
  if (!device) throw new CardError('image', 'The device left the plan.');
  return patchesOf(material, material.method, await cardSettings(context, material, device));
}

/** SHA-256 that names what is written to a card: the image's digest, then each patch with its place. */
export function writtenDigest(imageSha256: string, patches: GangCard['patches']): string {
  const hash = createHash('sha256').update(imageSha256);
  for (const { offset, bytes } of patches)
    hash.update(`\n${String(offset)} ${String(bytes.length)}\n`).update(bytes);
  return hash.digest('hex');
}
