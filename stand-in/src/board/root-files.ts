import { ExtVolume, SliceSource, type ByteSource, type InspectedPartition } from '@nest-mark/core/disk';
import type { CardFiles } from './settings';

/** Where this board's system looks for a seed, in the root file system. */
const SEED = '/var/lib/cloud/seed/nocloud';
const seeded = new Set(['user-data', 'meta-data', 'network-config']);

/** A card without a FAT partition, as a board that starts from its one ext root sees it. */
export async function rootFiles(
  card: ByteSource,
  partitions: readonly InspectedPartition[],
): Promise<CardFiles | null> {
  const part = partitions.find(({ fileSystem }) => fileSystem === 'ext');
  if (!part) return null;
  const root = await ExtVolume.open(new SliceSource(card, part.offset, part.size));
  const placeOf = (path: string): string => (seeded.has(path) ? `${SEED}/${path}` : `/boot/${path}`);
  return {
    label: '',
    readFile: (path, limit) => root.readFile(placeOf(path), limit),
    async list(path = '') {
      const names = [
        ...(await root.list(path === '' ? '/boot' : placeOf(path))),
        ...(path === '' ? await root.list(SEED) : []),
      ];
      const entries = [];
      for (const name of names) {
        const facts = await root.stat(placeOf(path === '' ? name : `${path}/${name}`));
        if (facts) entries.push({ name, folder: facts.kind === 'folder', size: facts.size });
      }
      return entries;
    },
  };
}
