import * as z from 'zod';
import { fatPartitions, type InspectedPartition } from '../disk/inspect';
import { SliceSource, type ByteSource } from '../disk/byte-source';
import { isOptical, opticalLabel } from '../disk/foreign';
import { DiskError } from '../disk/disk-error';
import { ExtVolume } from '../disk/ext/volume';
import { FatVolume } from '../disk/fat/volume';

/** Something that an image's octets tell of it. */
export const ImageClueSchema = z.object({
  kind: z.enum(['system', 'width', 'built']),
  /** For people: the system's name, "64 bit", or empty where `at` says it. */
  text: z.string(),
  reason: z.string(),
  wordBits: z.union([z.literal(32), z.literal(64)]).nullable(),
  /** Milliseconds since 1970. */
  at: z.number().nullable(),
});
export type ImageClue = z.infer<typeof ImageClueSchema>;

const width = (wordBits: 32 | 64, reason: string): ImageClue => ({
  kind: 'width',
  text: `${String(wordBits)} bit`,
  reason,
  wordBits,
  at: null,
});

/** Removable-media boot files of the UEFI specification 2.10, section 3.5.1.1. */
const bootNames: Record<string, 32 | 64> = {
  'bootaa64.efi': 64,
  'bootx64.efi': 64,
  'bootriscv64.efi': 64,
  'bootloongarch64.efi': 64,
  'bootarm.efi': 32,
  'bootia32.efi': 32,
};

/**
 * Width of a kernel file by its head: `ARM\x64` at 56 (Linux documentation, "Booting AArch64 Linux"), 0x016f2818 at
 * 36 ("Booting ARM Linux", zImage), or the class octet of ELF (System V ABI, figure 4-4).
 */
export function widthOfHead(head: Uint8Array): 32 | 64 | null {
  if (head.length < 64) return null;
  const view = new DataView(head.buffer, head.byteOffset, head.length);
  if (view.getUint32(0) === 0x7f454c46) return head[4] === 2 ? 64 : head[4] === 1 ? 32 : null;
  if (view.getUint32(56, true) === 0x644d5241) return 64;
  return view.getUint32(36, true) === 0x016f2818 ? 32 : null;
}

/** Programs that every system has, whose class is the system's. */
const programs = ['/bin/sh', '/sbin/init', '/bin/busybox', '/usr/bin/env'];

async function inRoot(root: ByteSource): Promise<ImageClue[]> {
  const volume = await ExtVolume.open(root);
  const clues: ImageClue[] = [];
  for (const path of ['/etc/os-release', '/usr/lib/os-release']) {
    const text = new TextDecoder().decode((await volume.readFile(path)) ?? new Uint8Array());
    const name = /^PRETTY_NAME=(["']?)(.*)\1$/m.exec(text)?.[2];
    if (!name) continue;
    clues.push({
      kind: 'system',
      text: name.slice(0, 120),
      reason: `PRETTY_NAME in ${path}`,
      wordBits: null,
      at: null,
    });
    break;
  }
  for (const path of programs) {
    const head = await volume.readFile(path, 64);
    const bits = head && widthOfHead(head);
    if (!bits) continue;
    clues.push(width(bits, `${path} is a program of ${String(bits)} bit`));
    break;
  }
  if (volume.writtenAt > 0)
    clues.push({
      kind: 'built',
      text: '',
      reason: 'the root file system was written to last then',
      wordBits: null,
      at: volume.writtenAt,
    });
  return clues;
}

async function inBoot(boot: FatVolume): Promise<ImageClue[]> {
  for (const { name, folder } of await boot.list()) {
    if (folder || !/^(kernel|vmlinu|zimage|image)/i.test(name)) continue;
    const bits = widthOfHead((await boot.readFile(name, 64)) ?? new Uint8Array());
    if (bits) return [width(bits, `the kernel ${name} is one of ${String(bits)} bit`)];
  }
  const loaders = await boot.list('EFI/BOOT').catch(() => []);
  for (const { name } of loaders) {
    const bits = bootNames[name.toLowerCase()];
    if (bits !== undefined) return [width(bits, `the boot loader is ${name}`)];
  }
  return [];
}

const orNone = async (work: Promise<ImageClue[]>): Promise<ImageClue[]> => {
  try {
    return await work;
  } catch (error) {
    // What cannot be read tells nothing; that the image works is not judged here.
    if (error instanceof DiskError || error instanceof RangeError) return [];
    throw error;
  }
};

/** What a disk's octets tell of the system on it, the surest first; of each kind at most one. */
export async function imageClues(
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
): Promise<ImageClue[]> {
  const clues: ImageClue[] = [];
  for (const { fileSystem, offset, size } of partitions)
    if (fileSystem === 'ext') clues.push(...(await orNone(inRoot(new SliceSource(disk, offset, size)))));
  for (const boot of fatPartitions(partitions)) {
    const volume = FatVolume.openReadOnly(new SliceSource(disk, boot.offset, boot.size));
    clues.push(...(await orNone(volume.then(inBoot))));
  }
  if (await isOptical(disk))
    clues.push({
      kind: 'system',
      text: `Optical disc “${await opticalLabel(disk)}” that also starts from a card; such images are installers as a rule, and ask questions at a screen`,
      reason: 'its volume descriptor, ECMA-119 section 8.4',
      wordBits: null,
      at: null,
    });
  return clues.filter(({ kind }, at) => clues.findIndex((clue) => clue.kind === kind) === at);
}

/** Minutes that bringing a fresh board up to date takes, from–to. */
export interface UpdateTime {
  low: number;
  high: number;
}

/**
 * How long updates of an image take by its age. Common practice knows 5 minutes for a fresh one, 8 to 12 as typical
 * and an hour for one of two years; between them a straight line is taken, with a third less and half as much again.
 * @param days since the image was built
 */
export function updateMinutes(days: number): UpdateTime {
  const middle = Math.min(60, 5 + Math.max(0, days) * (55 / 730));
  return { low: Math.round(middle * 0.67), high: Math.round(middle * 1.5) };
}
