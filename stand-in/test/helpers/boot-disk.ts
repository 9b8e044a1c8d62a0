import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { FatVolume, MemorySource, Overlay, SliceSource, utf8, type ByteSource } from '@nest-mark/core';

const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin` };
const START = 1 << 20;
/** A small disk that a stand-in board would start from, made by Debian's tools. */
export function blankDisk(label: string): Uint8Array {
  const folder = mkdtempSync(join(tmpdir(), 'nest-mark-predict-'));
  try {
    const disk = join(folder, 'disk.img');
    writeFileSync(disk, '');
    truncateSync(disk, 9 << 20);
    execFileSync('sfdisk', ['-q', disk], { env, input: 'label: dos\n2048,16384,e,*\n' });
    execFileSync('mkfs.fat', ['-F', '16', '-s', '1', '-n', label, '--offset', '2048', disk, '8192'], {
      env,
      stdio: 'pipe',
    });
    return new Uint8Array(readFileSync(disk));
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** The disk with files on its boot partition. */
export async function cardOf(disk: Uint8Array, files: ReadonlyMap<string, Uint8Array>): Promise<ByteSource> {
  const overlay = new Overlay(new MemorySource(disk));
  const size = 8 << 20;
  const slice = {
    size,
    read: (offset: number, length: number) => new SliceSource(overlay, START, size).read(offset, length),
    write: (offset: number, bytes: Uint8Array) => overlay.write(START + offset, bytes),
  };
  const volume = await FatVolume.open(slice);
  for (const [name, content] of files) await volume.writeFile(name, content);
  await volume.writeFile('vmlinuz', utf8('kernel'));
  return overlay;
}
