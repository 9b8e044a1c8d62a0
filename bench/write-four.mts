import { execFileSync, spawnSync } from 'node:child_process';
import { createCipheriv, createHash } from 'node:crypto';
import { closeSync, existsSync, openSync, rmSync, truncateSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { BLOCK_SIZE, blockDigest, DirectFile, unpack, writeGang, type CardHandle } from '@nest-mark/station';
import { seconds, timed, type Result } from './measure.mjs';

const MiB = 1 << 20;
const imageSize = 512 * MiB;
const cards = 4;

/** An image that packs about as well as a real one: a third noise, a third text, a third empty. */
function makeImage(folder: string): string {
  const path = join(folder, 'bench.img');
  const noise = createCipheriv('aes-256-ctr', Buffer.alloc(32, 'bench'), Buffer.alloc(16));
  const text = Buffer.from('marsh tide oyster reed heron silt creek buoy\n'.repeat(30_000)).subarray(0, MiB);
  const file = openSync(path, 'w');
  for (let at = 0; at < imageSize / MiB; at++)
    if (at % 3 < 2) writeSync(file, at % 3 === 0 ? noise.update(Buffer.alloc(MiB)) : text, 0, MiB, at * MiB);
  closeSync(file);
  truncateSync(path, imageSize);
  execFileSync('xz', ['-T2', '-1', '--block-size=16MiB', '-k', path]);
  rmSync(path);
  return `${path}.xz`;
}

/** A card file of the image's size or more. */
function blank(folder: string, name: string): string {
  const path = join(folder, name);
  if (!existsSync(path)) writeFileSync(path, '');
  truncateSync(path, 0);
  truncateSync(path, 2 * imageSize);
  return path;
}

/** As people do it: unpack and write with dd, then read back and compare the digest, card after card. */
function byHand(image: string, folder: string, digest: string): void {
  for (let card = 0; card < cards; card++) {
    const target = blank(folder, `hand-${String(card)}.img`);
    const write = `xz -dc -T2 ${image} | dd of=${target} bs=4M iflag=fullblock oflag=direct conv=notrunc,fsync status=none`;
    const read = `dd if=${target} bs=4M iflag=direct count=${String(imageSize / (4 * MiB))} status=none | sha256sum`;
    const { stdout, status } = spawnSync('bash', ['-o', 'pipefail', '-c', `${write} && ${read}`], {
      encoding: 'utf8',
    });
    if (status !== 0 || !stdout.startsWith(digest)) throw new Error('the cards written by hand are wrong');
  }
}

async function byGang(image: string, folder: string, blockDigests: readonly string[]): Promise<void> {
  const handles: CardHandle[] = [];
  for (let card = 0; card < cards; card++)
    handles.push(await DirectFile.open(blank(folder, `gang-${String(card)}.img`), 2 * imageSize));
  const base = { size: imageSize, blockDigests, open: () => unpack(image, 'xz') };
  const patches = [{ offset: 5 * MiB, bytes: new Uint8Array(8192).fill(7) }];
  const gang = handles.map((handle, index) => ({ id: String(index), handle, patches }));
  const outcomes = await writeGang(base, gang);
  for (const handle of handles) await handle.close();
  for (const outcome of outcomes.values())
    if (outcome.state !== 'verified') throw new Error(JSON.stringify(outcome));
}

/** Four cards written and verified at once, against the same done by hand one after the other. */
export async function writeFour(folder: string): Promise<Result[]> {
  const image = makeImage(folder);
  const digest = await blockDigest();
  const whole = createHash('sha256');
  const blocks: string[] = [];
  let rest = Buffer.alloc(0);
  for await (const part of unpack(image, 'xz')) {
    whole.update(part);
    rest = Buffer.concat([rest, part]);
    for (; rest.length >= BLOCK_SIZE; rest = rest.subarray(BLOCK_SIZE))
      blocks.push(digest(rest.subarray(0, BLOCK_SIZE)));
  }
  const published = whole.digest('hex');
  const gang = await timed(() => byGang(image, folder, blocks));
  const hand = await timed(() => byHand(image, folder, published));
  return [
    {
      what: `write and verify ${String(cards)} cards of ${String(imageSize / MiB)} MiB (xz), gang ${seconds(gang)}, by hand ${seconds(hand)}`,
      figure: `${(hand / gang).toFixed(1)} times as fast`,
      bound: 'more than 1',
    },
  ];
}
