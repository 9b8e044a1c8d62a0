import { longNamePart, readShortName, shortNameSum } from './names';

/** A file or folder as its directory tells it. */
export interface FatEntry {
  name: string;
  /** Eleven octets of the short name. */
  short: string;
  folder: boolean;
  size: number;
  firstCluster: number;
  /** First slot that belongs to it, long-name slots included, and how many there are. */
  slot: number;
  slots: number;
}

const longName = 0x0f;
const volumeLabel = 0x08;
const folderBit = 0x10;
export const SLOT = 32;

/** Entries of a directory's octets; broken or orphaned long names are ignored as the specification asks. */
export function readEntries(bytes: Uint8Array): FatEntry[] {
  const entries: FatEntry[] = [];
  let parts: { text: string; sum: number; order: number }[] = [];
  for (let slot = 0; slot * SLOT < bytes.length; slot++) {
    const raw = bytes.subarray(slot * SLOT, slot * SLOT + SLOT);
    const first = raw[0] ?? 0;
    if (first === 0) break;
    const attributes = raw[11] ?? 0;
    if (first === 0xe5) parts = [];
    else if ((attributes & 0x3f) === longName) {
      if (first & 0x40) parts = [];
      parts.push({ text: longNamePart(raw), sum: raw[13] ?? 0, order: first & 0x3f });
    } else {
      if (!(attributes & volumeLabel)) entries.push(entryOf(raw, slot, parts));
      parts = [];
    }
  }
  return entries;
}

function entryOf(
  raw: Uint8Array,
  slot: number,
  parts: readonly { text: string; sum: number; order: number }[],
): FatEntry {
  const view = new DataView(raw.buffer, raw.byteOffset, SLOT);
  const short = String.fromCharCode(...raw.subarray(0, 11));
  const sum = shortNameSum(short);
  const whole =
    parts.length > 0 && parts.every((part, index) => part.sum === sum && part.order === parts.length - index);
  return {
    name: whole
      ? parts
          .map((part) => part.text)
          .reverse()
          .join('')
      : readShortName(raw),
    short,
    folder: ((raw[11] ?? 0) & folderBit) !== 0,
    size: view.getUint32(28, true),
    firstCluster: view.getUint16(26, true) | (view.getUint16(20, true) << 16),
    slot: whole ? slot - parts.length : slot,
    slots: whole ? parts.length + 1 : 1,
  };
}

/** First of `count` neighbouring free slots, or -1; a slot of 0 frees everything behind it. */
export function freeRun(bytes: Uint8Array, count: number): number {
  const total = bytes.length / SLOT;
  let run = 0;
  for (let slot = 0; slot < total; slot++) {
    const first = bytes[slot * SLOT] ?? 0;
    if (first === 0) return slot - run + count <= total ? slot - run : -1;
    run = first === 0xe5 ? run + 1 : 0;
    if (run === count) return slot - run + 1;
  }
  return -1;
}

/** Date and time as FAT writes them (two seconds' resolution). */
export interface FatTime {
  year: number;
  month: number;
  day: number;
  hour: number;
  minute: number;
}

/** One time for all files that we write, so that the same plan gives the same octets. */
export const FIXED_TIME: FatTime = { year: 2026, month: 1, day: 1, hour: 12, minute: 0 };

/** The slot with the short name, size and place of a file, or of a folder, whose size is always 0. */
export function shortSlot(
  short: string,
  firstCluster: number,
  size: number,
  time: FatTime,
  kind: 'file' | 'folder' = 'file',
): Uint8Array {
  const slot = new Uint8Array(SLOT);
  const view = new DataView(slot.buffer);
  for (let at = 0; at < 11; at++) slot[at] = short.charCodeAt(at);
  slot[11] = kind === 'folder' ? folderBit : 0x20;
  const date = ((time.year - 1980) << 9) | (time.month << 5) | time.day;
  const clock = (time.hour << 11) | (time.minute << 5);
  for (const at of [14, 22]) view.setUint16(at, clock, true);
  for (const at of [16, 18, 24]) view.setUint16(at, date, true);
  view.setUint16(20, firstCluster >>> 16, true);
  view.setUint16(26, firstCluster & 0xffff, true);
  view.setUint32(28, size, true);
  return slot;
}
