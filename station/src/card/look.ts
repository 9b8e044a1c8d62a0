import { findBoot, MARK_ON_CARD, openRoot, readMark, rootPathOf, type MarkFile } from '@nest-mark/core';
import {
  DiskError,
  ExtVolume,
  FatVolume,
  identify,
  inspectDisk,
  SliceSource,
  type ByteSource,
  type InspectedPartition,
} from '@nest-mark/core/disk';
import { cautionOf } from './caution';

/** What was seen of a medium when its octets were read. */
export interface CardLook {
  /** In plain words. */
  holds: string;
  /** What its mark file says when it was written here. */
  label: MarkFile | null;
  caution: string | null;
}

/** Octets of a mark file that are read. */
const LARGEST_MARK = 64 << 10;
/** File systems whose root folders are looked into. */
const LOOKED_INTO = 4;
/** Names of a root folder that are looked at. */
const NAMES_LOOKED_AT = 500;

/** A damaged table or file system tells nothing; everything else that goes wrong is told. */
async function orElse<T>(work: Promise<T>, otherwise: T): Promise<T> {
  return work.catch((error: unknown) => {
    if (error instanceof DiskError) return otherwise;
    throw error;
  });
}

interface Volume {
  source: ByteSource;
  fileSystem: InspectedPartition['fileSystem'];
  label: string;
  size: number;
}

/** File systems of a medium: those of its partitions, or the one that fills it. */
async function volumesOf(
  card: ByteSource,
): Promise<{ partitions: InspectedPartition[] | null; volumes: Volume[] }> {
  const partitions = await orElse(inspectDisk(card), null);
  if (partitions) {
    const volumes = partitions.map(({ offset, size, fileSystem, label }) => ({
      source: new SliceSource(card, offset, size),
      fileSystem,
      label,
      size,
    }));
    return { partitions, volumes };
  }
  const whole = await identify(card);
  if (whole.fileSystem === 'unknown') return { partitions: null, volumes: [] };
  return { partitions: null, volumes: [{ source: card, ...whole, size: card.size }] };
}

async function namesIn({ source, fileSystem }: Volume): Promise<string[]> {
  if (fileSystem === 'ext') return orElse((await ExtVolume.open(source)).list('/'), []);
  if (!fileSystem.startsWith('fat')) return [];
  const volume = await FatVolume.openReadOnly(source);
  return (await orElse(volume.list(), [])).map(({ name }) => name);
}

/** Octets of a card's mark file; null when it has none. */
export async function readMarkBytes(card: ByteSource): Promise<Uint8Array | null> {
  const partitions = (await orElse(inspectDisk(card), null)) ?? [];
  const boot = (await findBoot(card, partitions))?.partition;
  if (!boot) {
    const root = await openRoot(card, partitions);
    return root && (await orElse(root.readFile(rootPathOf(MARK_ON_CARD), LARGEST_MARK), null));
  }
  const volume = await orElse(FatVolume.openReadOnly(new SliceSource(card, boot.offset, boot.size)), null);
  return volume && (await orElse(volume.readFile(MARK_ON_CARD, LARGEST_MARK), null));
}

/** What the label on a card would say: its mark file, or null when it has none. */
export async function readMarkFile(card: ByteSource): Promise<MarkFile | null> {
  const bytes = await readMarkBytes(card);
  return bytes && readMark(bytes);
}

const named = ({ fileSystem, label }: Pick<Volume, 'fileSystem' | 'label'>): string =>
  label ? `${fileSystem} "${label}"` : fileSystem;

function inWords(label: MarkFile | null, partitions: InspectedPartition[] | null, volumes: Volume[]): string {
  if (label) return `the card of ${label.hostName} (mark ${label.mark}, nest ${label.nest})`;
  if (partitions)
    return `${String(partitions.length)} partition${partitions.length === 1 ? '' : 's'} (${partitions.slice(0, 4).map(named).join(', ')}), not written here`;
  const [whole] = volumes;
  return whole ? `one ${named(whole)} file system without partitions` : 'nothing that can be read';
}

/**
 * Looks at a medium: what is on it, whose card it is, and whether it should be written at all.
 * @param bus how it is connected, as the system names it; empty where that is not known
 * @throws what reading the medium fails with; damaged tables and file systems are no failure
 */
export async function lookAtCard(card: ByteSource, bus: string): Promise<CardLook> {
  const { partitions, volumes } = await volumesOf(card);
  const label = await readMarkFile(card);
  const names: string[] = [];
  // A card that was written here is ours to write again.
  if (!label)
    for (const volume of volumes.slice(0, LOOKED_INTO))
      names.push(...(await namesIn(volume)).slice(0, NAMES_LOOKED_AT));
  return {
    holds: inWords(label, partitions, volumes),
    label,
    caution: cautionOf({ size: card.size, bus, volumes: label ? [] : volumes, names }),
  };
}
