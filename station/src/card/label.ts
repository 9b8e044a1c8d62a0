import { MARK_ON_CARD, readMark, type MarkFile } from '@nest-mark/core';
import {
  bootPartition,
  DiskError,
  FatVolume,
  inspectDisk,
  SliceSource,
  type ByteSource,
} from '@nest-mark/core/disk';

export type { MarkFile };

/** What the label on a card would say: its mark file, or null when it has none. */
export async function readMarkFile(card: ByteSource): Promise<MarkFile | null> {
  try {
    const boot = bootPartition(await inspectDisk(card));
    if (!boot) return null;
    const volume = await FatVolume.openReadOnly(new SliceSource(card, boot.offset, boot.size));
    const bytes = await volume.readFile(MARK_ON_CARD);
    return bytes && readMark(bytes);
  } catch (error) {
    if (error instanceof DiskError) return null;
    throw error;
  }
}

/** What is on a card, in plain words. */
export async function describeCard(card: ByteSource, mark: MarkFile | null): Promise<string> {
  if (mark) return `the card of ${mark.hostName} (mark ${mark.mark}, nest ${mark.nest})`;
  try {
    const partitions = await inspectDisk(card);
    const kinds = partitions.map(({ fileSystem, label }) =>
      label ? `${fileSystem} "${label}"` : fileSystem,
    );
    return `${String(partitions.length)} partition${partitions.length === 1 ? '' : 's'} (${kinds.slice(0, 4).join(', ')}), not written here`;
  } catch (error) {
    if (!(error instanceof DiskError)) throw error;
    return 'nothing that can be read';
  }
}
