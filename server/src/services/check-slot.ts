import {
  bootPartition,
  checkCard,
  DiskError,
  FatVolume,
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
import { Problem } from '../http/problems';
import { heldBy } from './arm-round';
import { tellCheck } from './compare-card';
import { record, type Context } from './context';

const PAGE = 4096;
/** Octets of a file that is renamed by writing it anew. */
const LARGEST_RENAMED = 8 << 20;

const sourceOf = (handle: CardHandle): ByteSource => ({
  size: handle.size,
  read: async (offset, length) => {
    const bytes = new Uint8Array(length);
    await handle.read(bytes, offset);
    return bytes;
  },
});

/** Opens the card of a slot for as long as some work takes. @throws Problem in words for people */
async function withCard<T>(
  context: Context,
  slotId: string,
  identity: MediumIdentity,
  work: (handle: CardHandle, slot: Slot) => Promise<T>,
): Promise<T> {
  const slot = (await context.reader.list()).find(({ id }) => id === slotId);
  if (!slot?.medium) throw new Problem(409, 'card-missing', 'There is no card in this slot any more.');
  const held = heldBy(context, await context.rounds.inUse(), slotId, identity);
  if (held) throw new Problem(409, 'slot-busy', `${held} Wait for that to end.`);
  let handle: CardHandle | null = null;
  try {
    handle = await context.reader.open(slotId, identity);
    return await work(handle, slot);
  } catch (error) {
    if (error instanceof DiskError) throw new Problem(409, 'card-unreadable', error.message);
    if (error instanceof CardError) throw new Problem(409, `card-${error.code}`, error.message);
    throw error;
  } finally {
    await handle?.close();
  }
}

const look = async (context: Context, handle: CardHandle): Promise<SlotCheck> =>
  tellCheck(context, await readBootFiles(sourceOf(handle)));

/** Says what the card in a slot will make of its board, and what is wrong with it. @throws Problem */
export const checkSlot = (context: Context, slotId: string, identity: MediumIdentity): Promise<SlotCheck> =>
  withCard(context, slotId, identity, (handle) => look(context, handle));

/** First-boot files of the card in a slot, secrets and all; that is logged. @throws Problem */
export const slotFiles = (
  context: Context,
  slotId: string,
  identity: MediumIdentity,
): Promise<SentBootFiles> =>
  withCard(context, slotId, identity, async (handle, { title }) => {
    const boot = await readBootFiles(sourceOf(handle));
    await record(context, {
      kind: 'revealed',
      cardSerial: identity.serial,
      text: `The first-boot files of the card in ${title} were read out, with their secrets, to take them into a plan.`,
    });
    return packBootFiles(boot);
  });

/** Does a fix on the boot partition of a card, and reads it back. */
async function mend(handle: CardHandle, fix: CheckFix): Promise<void> {
  const disk = sourceOf(handle);
  const boot = bootPartition(await inspectDisk(disk));
  if (!boot) throw new DiskError('missing', 'There is no boot partition on the card any more.');
  const overlay = new Overlay(new SliceSource(disk, boot.offset, boot.size));
  const volume = await FatVolume.open(overlay);
  if (fix.do === 'replace') await volume.writeFile(fix.file, fix.content);
  else {
    const content = (await volume.readFile(fix.file, LARGEST_RENAMED + 1)) ?? new Uint8Array();
    if (content.length > LARGEST_RENAMED)
      throw new DiskError(
        'unsupported',
        `${fix.file} is too large to be a first-boot file. Rename it by hand.`,
      );
    await volume.removeFile(fix.file);
    await volume.writeFile(fix.to, content);
  }
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

/**
 * Mends one finding on the card in a slot.
 * @throws Problem when it is not there any more, cannot be mended, or the medium must not be written
 */
export async function mendSlot(
  context: Context,
  slotId: string,
  request: { identity: MediumIdentity; id: string; file: string; line: number | null },
): Promise<SlotCheck> {
  const { largestGB } = await context.settings.bench();
  return withCard(context, slotId, request.identity, async (handle, { title, medium }) => {
    // Nothing is erased here: that it holds somebody's files does not speak against mending it.
    const refusal = medium && refuseMedium({ ...medium, caution: null }, 0, largestGB * 1e9);
    if (refusal) throw new Problem(409, `card-${refusal.code}`, refusal.message);
    const { findings } = checkCard(await readBootFiles(sourceOf(handle)));
    const finding = findings.find(
      ({ id, file, line }) => id === request.id && file === request.file && line === request.line,
    );
    if (!finding?.fix)
      throw new Problem(
        409,
        'not-mendable',
        'This is not on the card any more, or has to be mended by hand.',
      );
    await mend(handle, finding.fix);
    await record(context, {
      kind: 'card-mended',
      cardSerial: request.identity.serial,
      text: `On the card in ${title} was mended: ${finding.message}`,
    });
    return look(context, handle);
  });
}
