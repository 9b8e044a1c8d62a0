import { execFileSync, spawnSync } from 'node:child_process';
import { createCipheriv } from 'node:crypto';
import { closeSync, existsSync, openSync, rmSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { shelveImage, type ShelvedImage } from '@nest-mark/station';
import { seconds, timed, type Result } from './measure.mjs';

const MiB = 1 << 20;

/** What a gang's process is asked to do; rates in octets per second, 0 for no limit. */
export interface GangOrder {
  folder: string;
  shelf: string;
  facts: Pick<ShelvedImage, 'rawSize' | 'blockSize' | 'blockDigests'>;
  cards: { rate: number; stallSeconds: number }[];
}

export interface GangReport {
  /** Milliseconds, of all and of each card. */
  took: number;
  ends: number[];
  peakMiB: number;
}

/** An image that packs about as well as a real one: a third noise, a third text, a third empty. */
function makeImage(path: string, size: number): void {
  const noise = createCipheriv('aes-256-ctr', Buffer.alloc(32, 'bench'), Buffer.alloc(16));
  const text = Buffer.from('marsh tide oyster reed heron silt creek buoy\n'.repeat(30_000)).subarray(0, MiB);
  const file = openSync(path, 'w');
  // A partition table with one partition that is no file system: enough to be shelved.
  const table = Buffer.alloc(512);
  table.set([0x80, 0, 0, 0, 0x83, 0, 0, 0, 0, 8, 0, 0, 0, 8, 0, 0], 446);
  table.writeUInt16LE(0xaa55, 510);
  for (let at = 0; at < size / MiB; at++)
    if (at % 3 < 2) writeSync(file, at % 3 === 0 ? noise.update(Buffer.alloc(MiB)) : text, 0, MiB, at * MiB);
  writeSync(file, table, 0, 512, 0);
  closeSync(file);
  truncateSync(path, size);
}

/**
 * A card file with room for the image. What was written to it before stays, so that nobody has to find room on the
 * disk for it: a card has none to find.
 */
function blank(folder: string, name: string, size: number): string {
  const path = join(folder, name);
  if (!existsSync(path)) writeFileSync(path, '');
  truncateSync(path, size + 64 * MiB);
  return path;
}

const shell = (script: string): string => {
  const { stdout, status, stderr } = spawnSync('bash', ['-o', 'pipefail', '-c', script], {
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(stderr);
  return stdout;
};

/** As people do it: unpack and write with dd, then read back and compare the digest, card after card. */
function byHand(unpack: string, folder: string, size: number, digest: string, cards: number): void {
  for (let card = 0; card < cards; card++) {
    const target = blank(folder, `card-${String(card)}.img`, size);
    shell(`${unpack} | dd of=${target} bs=4M iflag=fullblock oflag=direct conv=notrunc,fsync status=none`);
    const read = `dd if=${target} bs=4M iflag=direct count=${String(size / (4 * MiB))} status=none | sha256sum`;
    if (!shell(read).startsWith(digest)) throw new Error('a card written by hand is wrong');
  }
}

/** The disk's own limit: the same octets by dd past the cache, written and read by as many as there are cards. */
function diskLimit(folder: string, size: number, cards: number): void {
  const each = (command: (path: string) => string): string =>
    `${Array.from({ length: cards }, (_, at) => `${command(blankPath(folder, at))} &`).join(' ')} wait`;
  for (let at = 0; at < cards; at++) blank(folder, `card-${String(at)}.img`, size);
  const count = String(size / (4 * MiB));
  shell(
    each(
      (path) => `dd if=/dev/zero of=${path} bs=4M count=${count} oflag=direct conv=notrunc,fsync status=none`,
    ),
  );
  shell(each((path) => `dd if=${path} of=/dev/null bs=4M count=${count} iflag=direct status=none`));
}
const blankPath = (folder: string, at: number): string => join(folder, `card-${String(at)}.img`);

function gang(root: string, order: GangOrder): GangReport {
  const printed = execFileSync(
    join(root, 'node_modules/.bin/tsx'),
    [join(import.meta.dirname, 'gang-process.mts'), JSON.stringify(order)],
    { encoding: 'utf8', maxBuffer: 1 << 26, env: { ...process.env, UV_THREADPOOL_SIZE: '64' } },
  );
  return JSON.parse(printed.trim().split('\n').at(-1) ?? '') as GangReport;
}

const free = { rate: 0, stallSeconds: 0 };
const times = (factor: number): string => `${factor.toFixed(1)} times as fast`;

/** Eight cards at once against the same by hand; what limits; unequal cards. Tells what it is doing, as it takes minutes. */
export async function* writeMany(root: string, folder: string): AsyncGenerator<Result | string> {
  const size = 1024 * MiB;
  const raw = join(folder, 'bench.img');
  yield 'making an image of 1 GiB, and packing it by xz and zstd';
  makeImage(raw, size);
  execFileSync('xz', ['-T2', '-1', '--block-size=16MiB', '-k', raw]);
  execFileSync('zstd', ['-q', '-k', raw]);
  const shelf = join(folder, 'shelf');
  yield 'putting it onto the shelf';
  let facts: ShelvedImage | null = null;
  const shelved = await timed(async () => {
    facts = await shelveImage(`${raw}.xz`, shelf, '');
  });
  const { rawSize, blockSize, blockDigests, rawSha256 } = facts as unknown as ShelvedImage;
  rmSync(raw);
  const order = (cards: GangOrder['cards']): GangOrder => ({
    folder,
    shelf,
    facts: { rawSize, blockSize, blockDigests },
    cards,
  });
  const many = (count: number): GangReport => gang(root, order(Array.from({ length: count }, () => free)));
  // Every card's room is found on the disk before anything is measured.
  yield 'finding room for sixteen cards on the disk';
  diskLimit(folder, size, 16);
  const curve = new Map<number, GangReport>();
  for (const count of [1, 2, 4, 8, 16]) {
    yield `writing and verifying ${counted(count)}`;
    curve.set(count, many(count));
  }
  yield {
    what: 'one to sixteen cards',
    figure: [...curve]
      .map(([count, { took, peakMiB }]) => `${String(count)}: ${seconds(took)}, ${peakMiB.toFixed(0)} MiB`)
      .join('; '),
    bound: 'unpacking does not grow',
  };
  const took = (count: number): number => curve.get(count)?.took ?? NaN;
  yield 'eight cards by dd past the cache, and once more by us';
  const limit = await timed(() => diskLimit(folder, size, 8));
  const best = Math.min(took(8), many(8).took);
  yield {
    what: `share of the disk’s own limit (dd past the cache, eight at once: ${seconds(limit)})`,
    figure: `${((limit / best) * 100).toFixed(0)} %`,
    bound: 'at least 70 %',
  };
  yield 'one card by xz, dd and cmp';
  const one = await timed(() => {
    const target = blank(folder, 'card-0.img', size);
    shell(`xz -dc -T2 ${raw}.xz | dd of=${target} bs=4M iflag=fullblock conv=notrunc,fsync status=none`);
    shell(`xz -dc -T2 ${raw}.xz | cmp -n ${String(size)} - ${target}`);
  });
  yield {
    what: `one card against xz | dd conv=fsync and cmp (${seconds(one)})`,
    figure: `${(took(1) / one).toFixed(2)} of its time`,
    bound: 'at most 1.1',
  };
  yield 'eight cards by hand from zstd, one after the other';
  const fromZstd = await timed(() => byHand(`zstd -dcq ${raw}.zst`, folder, size, rawSha256, 8));
  yield {
    what: `eight cards of 1 GiB written and verified from the shelf in ${seconds(best)}; by hand from zstd ${seconds(fromZstd)}`,
    figure: times(fromZstd / best),
    bound: 'at least 4',
  };
  yield 'eight cards by hand from xz, one after the other';
  const fromXz = await timed(() => byHand(`xz -dc -T2 ${raw}.xz`, folder, size, rawSha256, 8));
  yield {
    what: `the same against xz by hand, ${seconds(fromXz)} (put onto the shelf once in ${seconds(shelved)})`,
    figure: `${times(fromXz / best)}, ${times(fromXz / (best + shelved))} with the putting`,
    bound: 'at least 6',
  };
  const alone = (rate: number): number => ((2 * size) / rate) * 1000;
  yield 'three cards at 40 MB/s beside one at 10 MB/s';
  const unequal = gang(root, order([...[40e6, 40e6, 40e6, 10e6].map((rate) => ({ rate, stallSeconds: 0 }))]));
  yield {
    what: `three cards at 40 MB/s beside one at 10 MB/s (ends after ${seconds(unequal.ends[3] ?? 0)})`,
    figure: `${(Math.max(...unequal.ends.slice(0, 3)) / alone(40e6)).toFixed(2)} of the time they need alone`,
    bound: 'about 1',
  };
  yield 'three cards at 60 MB/s beside one that stalls for 4 s';
  const stalling = gang(
    root,
    order([
      ...[60e6, 60e6, 60e6].map((rate) => ({ rate, stallSeconds: 0 })),
      { rate: 60e6, stallSeconds: 4 },
    ]),
  );
  yield {
    what: `three cards at 60 MB/s beside one that stalls for 4 s (ends after ${seconds(stalling.ends[3] ?? 0)})`,
    figure: `${(Math.max(...stalling.ends.slice(0, 3)) / alone(60e6)).toFixed(2)} of the time they need alone`,
    bound: 'about 1',
  };
}

const counted = (cards: number): string => (cards === 1 ? 'one card' : `${String(cards)} cards`);

/** Memory while eight cards of a large image are written. */
export async function writeLarge(root: string, folder: string): Promise<Result[]> {
  const size = 4096 * MiB;
  const raw = join(folder, 'large.img');
  makeImage(raw, size);
  const shelf = join(folder, 'large-shelf');
  const { rawSize, blockSize, blockDigests } = await shelveImage(raw, shelf, '');
  rmSync(raw);
  const cards = Array.from({ length: 8 }, () => free);
  const { took, peakMiB } = gang(root, { folder, shelf, facts: { rawSize, blockSize, blockDigests }, cards });
  return [
    {
      what: `memory of the writing process for eight cards of 4 GiB (${seconds(took)})`,
      figure: `${peakMiB.toFixed(0)} MiB`,
      bound: 'under 300 MB',
    },
  ];
}
