import type { Patch } from '../overlay';

const SECTOR = 512;
const RESERVED = 32;
const COPIES = 2;
/** Partitions begin on whole MiB, as cards' erase blocks do (common practice). */
const START = 1 << 20;
const GiB = 2 ** 30;

/** Sectors in a cluster of FAT32 by the volume's size (Microsoft FAT specification 1.03, page 20, DskTableFAT32). */
function sectorsPerCluster(size: number): number {
  if (size <= 260 * 2 ** 20) return 1;
  if (size <= 8 * GiB) return 8;
  if (size <= 16 * GiB) return 16;
  if (size <= 32 * GiB) return 32;
  return 64;
}

/** Smallest medium that becomes a true FAT32: 65,525 clusters of one sector, and its tables (same source, page 14). */
export const SMALLEST_FAT32 = START + 40 * 2 ** 20;

/**
 * An empty medium with one FAT32 partition over its full size, as what has to be written: everything within the
 * tables that is not named is zero.
 * @param size octets of the medium
 * @param serial volume serial number, 32 bits
 * @returns the octets to write, and the stretches to fill with zeros first
 * @throws RangeError when the medium is too small or too large for a master boot record
 */
export function emptyMedium(
  size: number,
  serial: number,
): { zeros: { offset: number; length: number }[]; patches: Patch[] } {
  const sectors = Math.floor((size - START) / SECTOR);
  if (size < SMALLEST_FAT32) throw new RangeError('too small for one FAT32 partition');
  if (sectors + START / SECTOR >= 2 ** 32) throw new RangeError('too large for a master boot record');
  const cluster = sectorsPerCluster(sectors * SECTOR);
  // Tables long enough for every cluster that the volume could have without them.
  const fatSectors = Math.ceil((((sectors - RESERVED) / cluster + 2) * 4) / SECTOR);
  const dataStart = RESERVED + COPIES * fatSectors;
  const clusters = Math.floor((sectors - dataStart) / cluster);

  const record = new Uint8Array(SECTOR);
  const table = new DataView(record.buffer);
  table.setUint32(440, serial, true);
  // Type 0x0c: FAT32 with addresses by sector; cylinders and heads are beyond use (common practice).
  record.set([0, 0xfe, 0xff, 0xff, 0x0c, 0xfe, 0xff, 0xff], 446);
  table.setUint32(454, START / SECTOR, true);
  table.setUint32(458, sectors, true);
  table.setUint16(510, 0xaa55, true);

  const boot = new Uint8Array(SECTOR);
  const view = new DataView(boot.buffer);
  boot.set([0xeb, 0x58, 0x90], 0);
  boot.set(ascii('NESTMARK'), 3);
  view.setUint16(11, SECTOR, true);
  view.setUint8(13, cluster);
  view.setUint16(14, RESERVED, true);
  view.setUint8(16, COPIES);
  view.setUint8(21, 0xf8);
  view.setUint16(24, 63, true);
  view.setUint16(26, 255, true);
  view.setUint32(28, START / SECTOR, true);
  view.setUint32(32, sectors, true);
  view.setUint32(36, fatSectors, true);
  view.setUint32(44, 2, true);
  view.setUint16(48, 1, true);
  view.setUint16(50, 6, true);
  view.setUint8(64, 0x80);
  view.setUint8(66, 0x29);
  view.setUint32(67, serial, true);
  boot.set(ascii('NO NAME    '), 71);
  boot.set(ascii('FAT32   '), 82);
  view.setUint16(510, 0xaa55, true);

  const info = new Uint8Array(SECTOR);
  const counts = new DataView(info.buffer);
  counts.setUint32(0, 0x41615252, true);
  counts.setUint32(484, 0x61417272, true);
  // The root folder takes the first cluster.
  counts.setUint32(488, clusters - 1, true);
  counts.setUint32(492, 3, true);
  counts.setUint32(508, 0xaa550000, true);

  const head = new Uint8Array(SECTOR);
  const entries = new DataView(head.buffer);
  entries.setUint32(0, 0x0ffffff8, true);
  entries.setUint32(4, 0x0fffffff, true);
  entries.setUint32(8, 0x0fffffff, true);

  const at = (sector: number): number => START + sector * SECTOR;
  return {
    zeros: [
      { offset: 0, length: START },
      { offset: START, length: (dataStart + cluster) * SECTOR },
    ],
    patches: [
      { offset: at(0), bytes: boot },
      { offset: at(1), bytes: info },
      { offset: at(6), bytes: boot },
      { offset: at(7), bytes: info },
      { offset: at(RESERVED), bytes: head },
      { offset: at(RESERVED + fatSectors), bytes: head },
      // The table last: without it there is no partition.
      { offset: 0, bytes: record },
    ],
  };
}

const ascii = (text: string): number[] => [...text].map((letter) => letter.charCodeAt(0));
