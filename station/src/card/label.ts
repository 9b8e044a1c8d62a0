import * as z from 'zod';
import {
  bootPartition,
  DiskError,
  FatVolume,
  inspectDisk,
  SliceSource,
  type ByteSource,
} from '@nest-mark/core/disk';

/** The file on a card that names its device; only what is used of it. */
const MarkFileSchema = z.object({
  mark: z.string().max(32),
  nest: z.string().max(8),
  hostName: z.string().max(64),
  batchId: z.string().max(64),
  deviceId: z.string().max(64).default(''),
  /** Which writing it was, as the seed's instance id says it. */
  writing: z.string().max(128).default(''),
});
export type MarkFile = z.infer<typeof MarkFileSchema>;

/** What the label on a card would say: its mark file, or null when it has none. */
export async function readMarkFile(card: ByteSource): Promise<MarkFile | null> {
  try {
    const boot = bootPartition(await inspectDisk(card));
    if (!boot) return null;
    const volume = await FatVolume.openReadOnly(new SliceSource(card, boot.offset, boot.size));
    const bytes = await volume.readFile('nest-mark.json');
    const parsed = MarkFileSchema.safeParse(bytes ? JSON.parse(new TextDecoder().decode(bytes)) : null);
    return parsed.success ? parsed.data : null;
  } catch (error) {
    if (error instanceof DiskError || error instanceof SyntaxError) return null;
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
