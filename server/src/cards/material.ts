import {
  benchKeyLine,
  bootVolumeOf,
  cardFilesOf,
  coloursOf,
  DiskError,
  FatVolume,
  findRoot,
  keyboardOf,
  callInOf,
  linesOf,
  noBase,
  openRoot,
  OwnMethodError,
  personalise,
  promptFile,
  publicKeyLine,
  readBase,
  RootBoot,
  rootFilesOf,
  rootPathOf,
  settingsOf,
  ssidBytes,
  usableKeys,
  wordsOf,
  type BaseFiles,
  type BootRange,
  type CardFile,
  type Device,
  type FirstBootMethodId,
  type FirstBootSettings,
  type Join,
  type LabelColour,
  type NetworkSettings,
  type OwnMethod,
  type Plan,
  type RootFile,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { createHash } from 'node:crypto';
import {
  CardError,
  FileSource,
  rootPatches,
  shelfFiles,
  type GangCard,
  type ShelvedImage,
} from '@nest-mark/station';
import type { Cards } from './domain';
import { shelfFolder } from '../images';
import { hashPassword } from './hash-password';
import { deviceHostKey, devicePassword } from '../plans';
import { boardKey } from '../networks';
import { sharedPassword, tunnelOf, vpnBoardOf, VpnError, type StoredBatch, type Tunnel } from '../plans';

/** What an image gives to the cards that it is written to. */
export interface CardBase {
  imageId: string;
  facts: ShelvedImage;
  method: FirstBootMethodId;
  /** Its description, where it is an own one. */
  own: OwnMethod | null;
  /** What of the image first-boot files are merged into. */
  base: BaseFiles;
  folder: string;
}

/** Everything that the settings of one image's cards are made from. */
export interface Material extends CardBase {
  batchId: string;
  roundId: string;
  plan: Plan;
  /** The bench's own public key, where it goes onto the cards. */
  benchKey: string | null;
  devices: ReadonlyMap<string, Device>;
  networks: ReadonlyMap<string, ShelvedNetwork>;
  /** The tunnel that the boards open, where their cards tell it. */
  tunnel: Tunnel | null;
  /** Colours of labels that boards show at their prompts. */
  colours: ReadonlyMap<string, LabelColour>;
  /** The password of the batch, in clear for hashing. */
  password: string | null;
  /** Salt for passwords, where a card is compared; a new one each time otherwise. */
  salt: string | null;
  /** Keys that were worked out already: 4096 rounds are not done again for each card. */
  keys: Map<string, string>;
}

/** Where the partition lies that first-boot files go onto; null where the root stands for one. */
const bootRange = ({ bootOffset, bootSize }: ShelvedImage): BootRange | null =>
  bootOffset === null || bootSize === null ? null : { offset: bootOffset, size: bootSize };

async function baseOf(
  facts: ShelvedImage,
  folder: string,
  further: readonly string[] = [],
): Promise<BaseFiles> {
  const disk = await FileSource.open(shelfFiles(folder).image);
  try {
    const root = await openRoot(disk, facts.partitions);
    const range = bootRange(facts);
    const view = range ? await FatVolume.openReadOnly(bootVolumeOf(disk, range)) : root && new RootBoot(root);
    return view ? await readBase(view, root, facts.system ?? null, further) : noBase;
  } finally {
    await disk.close();
  }
}

const isHere = (cards: Cards, { station }: { station: string }): boolean =>
  station === '' || station === cards.station;

/** An image on this station's shelf. @throws CardError when it is not there */
export async function cardBase(cards: Cards, imageId: string | null): Promise<CardBase> {
  if (imageId === null) throw new CardError('image', 'The plan has no image for these devices any more.');
  const planned = await cards.plans.images.repository.find(imageId);
  if (!planned?.facts) throw new CardError('image', 'The image is no longer on the shelf.');
  // Each station writes from its own disk; of the same image it may have a copy of its own.
  const image = isHere(cards, planned)
    ? planned
    : await cards.plans.images.repository.findByDigest(planned.facts.rawSha256, cards.station, planned.id);
  if (!image?.facts)
    throw new CardError(
      'image',
      `The image "${planned.title}" is on the shelf of the station "${planned.station}". Add it here too.`,
    );
  const folder = shelfFolder(cards.plans.images, image.id);
  return {
    imageId: image.id,
    facts: image.facts,
    // What a person said of the planned one holds for its copy too.
    method: planned.method,
    own: planned.own,
    base: await baseOf(image.facts, folder),
    folder,
  };
}

/** What keeps a tunnel's file from being made keeps a card from being made. */
const orCardError = <T>(made: Promise<T>): Promise<T> =>
  made.catch((error: unknown) => {
    throw error instanceof VpnError ? new CardError('image', error.message) : error;
  });

/** Gathers what the settings of the cards of one image need. @throws CardError when it is not there any more */
export async function gather(
  cards: Cards,
  batch: StoredBatch,
  roundId: string,
  imageId: string | null,
): Promise<Material> {
  const { id: batchId, plan, benchKey } = batch;
  return {
    ...(await cardBase(cards, imageId)),
    batchId,
    roundId,
    plan,
    benchKey: plan.bringUp.benchKey ? benchKey : null,
    devices: new Map(plan.devices.map((device) => [device.id, device])),
    networks: new Map((await cards.plans.networks.repository.list()).map((network) => [network.id, network])),
    tunnel:
      plan.vpn.wanted && plan.vpn.by === 'cards' ? await orCardError(tunnelOf(cards.plans, batch)) : null,
    colours: plan.handOver.atPrompt ? coloursOf(plan) : new Map(),
    password: await sharedPassword(cards.plans, batchId),
    salt: null,
    keys: new Map(),
  };
}

/** What of a network's key goes onto the cards of a round; worked out once for all of them. */
async function writtenKey(
  cards: Cards,
  material: Material,
  network: ShelvedNetwork,
  name: Uint8Array,
): Promise<string> {
  const known = material.keys.get(network.id);
  if (known !== undefined) return known;
  const key = await boardKey(cards.plans.networks, network, name);
  material.keys.set(network.id, key);
  return key;
}

async function networkSettings(
  cards: Cards,
  material: Material,
  { networkId, priority }: Join,
): Promise<NetworkSettings> {
  const network = material.networks.get(networkId);
  const ssid = network ? ssidBytes(network) : null;
  if (!network || !ssid) throw new CardError('image', 'A network of the plan is no longer on the shelf.');
  const { security, hidden } = network;
  return { ssid, security, hidden, priority, key: await writtenKey(cards, material, network, ssid) };
}

const keyTexts = (text: string): string[] => usableKeys(text).map(publicKeyLine);

/** The settings of one device as its card tells them. @throws CardError */
export async function cardSettings(
  cards: Cards,
  material: Material,
  device: Device,
): Promise<FirstBootSettings> {
  const { plan } = material;
  const { extras } = plan;
  const settings = settingsOf(plan, device);
  const colour = material.colours.get(device.id);
  const fixed = extras.wired.way === 'fixed' && settings.wiredAddress !== '';
  const networks: NetworkSettings[] = [];
  for (const join of settings.networks) networks.push(await networkSettings(cards, material, join));
  const password = !settings.passwordLogin
    ? null
    : plan.access.passwordScope === 'each'
      ? await devicePassword(cards.plans, device.id)
      : material.password;
  return {
    batchId: material.batchId,
    batchName: plan.name,
    deviceId: device.id,
    mark: device.mark,
    nest: device.nest,
    hostName: device.hostName,
    hostKey: await deviceHostKey(cards.plans, device),
    user: {
      name: settings.userName,
      keys: [
        ...keyTexts(settings.keys),
        ...(material.benchKey === null
          ? []
          : [benchKeyLine(material.benchKey, plan.bringUp.packagePort !== null)]),
      ],
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
    files: [...extras.files, ...(colour ? [promptFile(colour)] : [])],
    commands: linesOf(extras.commands),
    callIn: callInOf(extras),
    vpn:
      material.tunnel === null
        ? null
        : await orCardError(vpnBoardOf(cards.plans, plan, material.tunnel, device)),
    instanceId: `${device.mark}-${material.roundId}`,
  };
}

/**
 * The same for a board that has started before: nothing is fetched, and commands do not run once more, since they were
 * meant for a first start.
 */
export const onceMore = (settings: FirstBootSettings): FirstBootSettings => ({
  ...settings,
  packages: [],
  refresh: 'nothing',
  commands: [],
  callIn: null,
});

/** How a card takes its settings, as it was confirmed or as its image says. */
export interface CardMethod {
  method: FirstBootMethodId;
  own: OwnMethod | null;
}

/**
 * Every first-boot file of a card.
 * @throws CardError when an own method cannot say a setting, or the image has something else in its place
 */
export async function filesBy(
  { facts, folder, base }: CardBase,
  { method, own }: CardMethod,
  settings: FirstBootSettings,
): Promise<CardFile[]> {
  try {
    const paths = own?.description.files.map(({ path }) => path);
    return cardFilesOf(method, settings, paths ? await baseOf(facts, folder, paths) : base, own);
  } catch (error) {
    if (error instanceof OwnMethodError || error instanceof DiskError)
      throw new CardError('image', error.message);
    throw error;
  }
}

/** Every first-boot file of one device. @throws CardError */
export const filesFor = async (cards: Cards, material: Material, device: Device): Promise<CardFile[]> =>
  filesBy(material, material, await cardSettings(cards, material, device));

/** Whether a card of an image can carry its device's mark: on its boot partition, or in its root. */
export const isMarked = ({ bootOffset, system }: ShelvedImage): boolean =>
  bootOffset !== null || system?.unread === '';

/** Puts files into the root of an image. @throws CardError when it has none that could be read, or they do not fit */
async function intoRoot(
  { facts, folder }: CardBase,
  files: readonly RootFile[],
): Promise<GangCard['patches']> {
  if (files.length === 0) return [];
  const { image } = shelfFiles(folder);
  const disk = await FileSource.open(image);
  try {
    const root = await findRoot(disk, facts.partitions);
    if (!root)
      throw new DiskError(
        'missing',
        'The image has no ext root that could be read, so nothing can be put into it.',
      );
    return await rootPatches(image, root, folder, files);
  } catch (error) {
    if (error instanceof DiskError) throw new CardError('image', error.message);
    throw error;
  } finally {
    await disk.close();
  }
}

/** What a card gets over its base; nothing where the image has no place for it. @throws CardError */
export async function patchesOf(
  card: CardBase,
  how: CardMethod,
  settings: FirstBootSettings,
): Promise<GangCard['patches']> {
  const { facts, folder } = card;
  const own = rootFilesOf(settings);
  const range = bootRange(facts);
  if (!range) {
    // An image that nothing can be put onto is written as it is, if a person said so.
    if (how.method === 'none' && own.length === 0 && !isMarked(facts)) return [];
    const files = await filesBy(card, how, settings);
    // They hold keys and passwords; whoever reads them on the board is root.
    const placed = files.map(({ path, content }) => ({ path: rootPathOf(path), content, mode: 0o600 }));
    return intoRoot(card, [...placed, ...own]);
  }
  const disk = await FileSource.open(shelfFiles(folder).image);
  try {
    const files = await filesBy(card, how, settings);
    const patches = await personalise(bootVolumeOf(disk, range), range, files);
    return [...patches, ...(await intoRoot(card, own))].sort((a, b) => a.offset - b.offset);
  } finally {
    await disk.close();
  }
}

/** What one device's card gets over the base, as the plan says. @throws CardError */
export async function patchesFor(
  cards: Cards,
  material: Material,
  deviceId: string,
): Promise<GangCard['patches']> {
  const device = material.devices.get(deviceId);
  if (!device) throw new CardError('image', 'The device left the plan.');
  return patchesOf(material, material, await cardSettings(cards, material, device));
}

/** SHA-256 that names what is written to a card: the image's digest, then each patch with its place. */
export function writtenDigest(imageSha256: string, patches: GangCard['patches']): string {
  const hash = createHash('sha256').update(imageSha256);
  for (const { offset, bytes } of patches)
    hash.update(`\n${String(offset)} ${String(bytes.length)}\n`).update(bytes);
  return hash.digest('hex');
}
