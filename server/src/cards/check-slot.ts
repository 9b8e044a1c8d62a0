import {
  checkCard,
  DiskError,
  FatVolume,
  findBoot,
  inspectDisk,
  Overlay,
  packBootFiles,
  readBootFiles,
  shiftPatches,
  SliceSource,
  type ByteSource,
  type CheckFix,
  type SentBootFiles,
  type SlotCheck,
} from '@nest-mark/core';
import { CardError, refuseMedium, type CardHandle, type MediumIdentity, type Slot } from '@nest-mark/station';
import { problem } from '../platform/http/problems';
import { heldBy, ofReader, refused } from './slots';
import { knownMethods, knownPaths, tellCheck } from './compare';
import { record } from '../platform/log/record';
import type { Cards } from './domain';

const PAGE = 4096;
/** Octets of a file that is renamed by writing it anew. */
const LARGEST_RENAMED = 8 << 20;

export const sourceOf = (handle: CardHandle): ByteSource => ({
  size: handle.size,
  read: async (offset, length) => {
    const bytes = new Uint8Array(length);
    await handle.read(bytes, offset);
    return bytes;
  },
});

/** Opens the card of a slot for as long as some work takes. @throws Problem in words for people */
export async function withCard<T>(
  cards: Cards,
  slotId: string,
  identity: MediumIdentity,
  work: (handle: CardHandle, slot: Slot) => Promise<T>,
): Promise<T> {
  const slot = (await cards.reader.list()).find(({ id }) => id === slotId);
  if (!slot?.medium) throw problem('card-missing', { title: slot?.title ?? slotId });
  const held = heldBy(cards, await cards.runs.repository.heldSlots(), slotId, identity);
  if (held) throw problem('slot-busy', { title: slot.title, held });
  let handle: CardHandle | null = null;
  try {
    handle = await cards.reader.open(slotId, identity);
    return await work(handle, slot);
  } catch (error) {
    if (error instanceof DiskError) throw problem('card-content', { title: slot.title, why: error.message });
    if (error instanceof CardError) throw ofReader(slot.title, error);
    throw error;
  } finally {
    await handle?.close();
  }
}

export const look = async (cards: Cards, handle: CardHandle): Promise<SlotCheck> =>
  tellCheck(cards, await readBootFiles(sourceOf(handle), await knownPaths(cards)));

/** Says what the card in a slot will make of its board, and what is wrong with it. @throws Problem */
export const checkSlot = (cards: Cards, slotId: string, identity: MediumIdentity): Promise<SlotCheck> =>
  withCard(cards, slotId, identity, (handle) => look(cards, handle));

/** First-boot files of the card in a slot, secrets and all; that is logged. @throws Problem */
export const slotFiles = (cards: Cards, slotId: string, identity: MediumIdentity): Promise<SentBootFiles> =>
  withCard(cards, slotId, identity, async (handle, { title }) => {
    const boot = await readBootFiles(sourceOf(handle), await knownPaths(cards));
    await record(cards, {
      kind: 'revealed',
      cardSerial: identity.serial,
      text: `The first-boot files of the card in ${title} were read out, with their secrets, to take them into a plan.`,
    });
    return packBootFiles(boot);
  });

/** Changes files on the boot partition of a card, and reads back what was written. @throws DiskError, CardError */
export async function onBoot(
  handle: CardHandle,
  change: (volume: FatVolume) => Promise<void>,
): Promise<void> {
  const disk = sourceOf(handle);
  const boot = (await findBoot(disk, await inspectDisk(disk)))?.partition;
  if (!boot)
    throw new DiskError(
      'unsupported',
      'Its first-boot files lie in the root file system, where nothing is mended on a card. Write the card again.',
    );
  const overlay = new Overlay(new SliceSource(disk, boot.offset, boot.size));
  const volume = await FatVolume.open(overlay);
  await change(volume);
  for (const { offset, bytes } of shiftPatches(overlay.patches(), boot.offset)) {
    // Media take whole pages; what surrounds a change is written as it was.
    const start = Math.floor(offset / PAGE) * PAGE;
    const end = Math.min(handle.size, Math.ceil((offset + bytes.length) / PAGE) * PAGE);
    const pages = new Uint8Array(end - start);
    await handle.read(pages, start);
    pages.set(bytes, offset - start);
    await handle.write(pages, start);
    await handle.flush();
    const back = new Uint8Array(pages.length);
    await handle.read(back, start);
    if (Buffer.compare(back, pages) !== 0)
      throw new CardError('mismatch', 'The card gave back other data than was written. Do not use it again.');
  }
}

/** Does a fix among the files of a boot partition. */
async function mend(volume: FatVolume, fix: CheckFix): Promise<void> {
  if (fix.do === 'replace') {
    await volume.writeFile(fix.file, fix.content);
    return;
  }
  const content = (await volume.readFile(fix.file, LARGEST_RENAMED + 1)) ?? new Uint8Array();
  if (content.length > LARGEST_RENAMED)
    throw new DiskError(
      'unsupported',
      `${fix.file} is too large to be a first-boot file. Rename it by hand.`,
    );
  await volume.removeFile(fix.file);
  await volume.writeFile(fix.to, content);
}

/** Nothing is erased here: that a card holds somebody's files does not speak against it. @throws Problem */
export async function writable(cards: Cards, { title, medium }: Slot): Promise<void> {
  const { largestGB } = await cards.settings.repository.station();
  const refusal = medium && refuseMedium({ ...medium, caution: null }, 0, largestGB * 1e9);
  if (refusal) throw refused(title, refusal);
}

/**
 * Mends one finding on the card in a slot.
 * @throws Problem when it is not there any more, cannot be mended, or the medium must not be written
 */
export async function mendSlot(
  cards: Cards,
  slotId: string,
  request: { identity: MediumIdentity; id: string; file: string; line: number | null },
): Promise<SlotCheck> {
  return withCard(cards, slotId, request.identity, async (handle, slot) => {
    const { title } = slot;
    await writable(cards, slot);
    const { findings } = checkCard(
      await readBootFiles(sourceOf(handle), await knownPaths(cards)),
      await knownMethods(cards),
    );
    const finding = findings.find(
      ({ id, file, line }) => id === request.id && file === request.file && line === request.line,
    );
    if (!finding?.fix) throw problem('not-mendable');
    const { fix } = finding;
    await onBoot(handle, (volume) => mend(volume, fix));
    await record(cards, {
      kind: 'card-mended',
      cardSerial: request.identity.serial,
      text: `On the card in ${title} was mended: ${finding.message}`,
    });
    return look(cards, handle);
  });
}
