import { execFile } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, mkdtemp, open, readdir, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import type { RootFile } from '@nest-mark/core';
import { DiskError, ExtVolume, Overlay, shiftPatches, SliceSource, type Patch } from '@nest-mark/core/disk';
import { FileSource } from './file-source';

/** An ext root on an image, in octets from the image's beginning. */
export interface RootRange {
  offset: number;
  size: number;
}

/** What folders of work under way are called. */
const WORK = 'root-';

const run = promisify(execFile);

/** @throws DiskError when a tool of e2fsprogs fails or is not there */
async function tool(command: string, args: readonly string[]): Promise<string> {
  const env = { ...process.env, PATH: `${process.env['PATH'] ?? ''}:/usr/sbin:/sbin`, LC_ALL: 'C' };
  try {
    const { stdout, stderr } = await run(command, args, { env, maxBuffer: 1 << 26 });
    return stdout + stderr;
  } catch (error) {
    const { code, stdout = '', stderr = '' } = error as { code?: unknown; stdout?: string; stderr?: string };
    if (code === 'ENOENT')
      throw new DiskError(
        'unsupported',
        `Putting files into an ext root takes ${command}, which is not installed. Install the package e2fsprogs.`,
      );
    const said = `${stderr}\n${stdout}`
      .split('\n')
      .find((line) => line.trim() !== '' && !/^\w+ \d+\.\d+/.test(line));
    throw new DiskError('damaged', `The root file system could not be changed: ${said ?? command}.`);
  }
}

/** What stands between quotation marks in a command of debugfs, which knows no escapes. @throws DiskError */
function word(path: string): string {
  if (/["\n\r\0]/.test(path) || path.split('/').includes('..'))
    throw new DiskError(
      'unsupported',
      `${JSON.stringify(path)} is no path that can be put into an ext root.`,
    );
  return `"${path}"`;
}

/** Commands that put files there; folders that are missing are made. @throws DiskError */
async function commandsFor(root: ExtVolume, files: readonly RootFile[], scratch: string): Promise<string[]> {
  const commands: string[] = [];
  const made = new Set<string>();
  for (const [at, { path, content, mode }] of files.entries()) {
    const folder = dirname(path);
    const parts = folder.split('/').filter((part) => part !== '');
    for (let depth = 1; depth <= parts.length; depth++) {
      const parent = `/${parts.slice(0, depth).join('/')}`;
      const there = await root.stat(parent);
      if (there && there.kind !== 'folder')
        throw new DiskError(
          'unsupported',
          `${parent} is no folder on the image, so ${path} has no place there.`,
        );
      // The tool does not follow links on the way; a file would land beside them.
      if ((await root.readLink(parent)) !== null)
        throw new DiskError(
          'unsupported',
          `${parent} is a link on the image. Name the folder that it leads to.`,
        );
      if (!there && !made.has(parent)) {
        made.add(parent);
        commands.push(`mkdir ${word(parent)}`);
      }
    }
    const old = await root.stat(path);
    if (old?.kind === 'folder') throw new DiskError('unsupported', `${path} is a folder on the image.`);
    const local = join(scratch, String(at));
    await writeFile(local, content, { mode: 0o600 });
    const name = word(path.split('/').at(-1) ?? '');
    commands.push(`cd ${word(folder)}`);
    if (old ?? (await root.readLink(path)) !== null) commands.push(`rm ${name}`);
    commands.push(
      `write ${word(local)} ${name}`,
      `set_inode_field ${name} mode 0100${mode.toString(8).padStart(3, '0')}`,
      `set_inode_field ${name} uid 0`,
      `set_inode_field ${name} gid 0`,
    );
  }
  return commands;
}

/** What the tool says when all is well: its name, the commands, and the inodes that it took. */
const quiet = /^(debugfs.*|Allocated inode: \d+|Overwriting existing filesystem.*|\s*e2undo .*|)$/;

/** The blocks that were written, from the record by which they could be undone. */
async function writtenBlocks(work: string, undo: string): Promise<{ offset: number; length: number }[]> {
  const header = await open(undo);
  const unit = Buffer.alloc(4);
  await header.read(unit, 0, 4, 0x20);
  await header.close();
  const told = await tool('e2undo', ['-n', '-v', undo, work]);
  return [...told.matchAll(/^Replayed block of size (\d+) from \d+ to (\d+)$/gm)].map((line) => ({
    offset: Number(line[2]) * unit.readUInt32LE(),
    length: Number(line[1]),
  }));
}

/** The metadata of a root, with holes for everything else; made once for each image. */
async function metadataOf(image: string, { offset }: RootRange, folder: string): Promise<string> {
  const path = join(folder, 'root.meta');
  if (existsSync(path)) return path;
  const fresh = `${path}.${randomUUID()}`;
  try {
    await tool('e2image', ['-r', '-o', String(offset), image, fresh]);
    await rename(fresh, path);
  } finally {
    await rm(fresh, { force: true });
  }
  return path;
}

/**
 * Puts files into an ext root with e2fsprogs' own tool, on a copy that holds the metadata only: nothing of the image is
 * changed or copied. What comes out is looked at by e2fsck, and every file is read back.
 * @param image the unpacked image
 * @param folder where what is made once for an image is kept
 * @returns what has to be laid over the image
 * @throws DiskError when the root cannot be changed, or the files do not fit
 */
export async function rootPatches(
  image: string,
  range: RootRange,
  folder: string,
  files: readonly RootFile[],
): Promise<Patch[]> {
  if (files.length === 0) return [];
  const source = await FileSource.open(image);
  await mkdir(folder, { recursive: true });
  const scratch = await mkdtemp(join(folder, WORK));
  try {
    const slice = new SliceSource(source, range.offset, range.size);
    const root = await ExtVolume.open(slice);
    if (root.needsRecovery)
      throw new DiskError(
        'unsupported',
        'The root file system was in use when the image was made: its journal is not empty. Start the image once and shut it down, or get another one.',
      );
    const [work, undo, script] = ['work', 'undo', 'commands'].map((name) => join(scratch, name)) as [
      string,
      string,
      string,
    ];
    await tool('cp', ['--sparse=always', await metadataOf(image, range, folder), work]);
    await writeFile(script, `${(await commandsFor(root, files, scratch)).join('\n')}\n`);
    const told = await tool('debugfs', ['-w', '-z', undo, '-f', script, work]);
    const odd = told.split('\n').find((line) => !quiet.test(line));
    if (odd !== undefined)
      throw new DiskError('full', `The root file system could not be changed: ${odd.trim()}`);
    await tool('e2fsck', ['-f', '-n', work]);
    const overlay = new Overlay(slice);
    const changed = await open(work);
    try {
      for (const { offset, length } of await writtenBlocks(work, undo)) {
        const bytes = new Uint8Array(length);
        await changed.read(bytes, 0, length, offset);
        await overlay.write(offset, bytes);
      }
    } finally {
      await changed.close();
    }
    await readBack(await ExtVolume.open(overlay), files);
    return shiftPatches(overlay.patches(), range.offset);
  } finally {
    await source.close();
    await rm(scratch, { recursive: true, force: true });
  }
}

/**
 * Removes what a program that was killed left of such work: it holds what was to be put onto cards, keys and all. To be
 * called before any work begins.
 */
export async function forgetRootWork(folder: string): Promise<void> {
  const names = await readdir(folder).catch(() => []);
  for (const name of names.filter((one) => one.startsWith(WORK)))
    await rm(join(folder, name), { recursive: true, force: true });
}

/** @throws DiskError when a file is not just what was put there */
async function readBack(root: ExtVolume, files: readonly RootFile[]): Promise<void> {
  for (const { path, content, mode } of files) {
    const there = await root.readFile(path, content.length + 1);
    const facts = await root.stat(path);
    if (
      !there ||
      Buffer.compare(there, content) !== 0 ||
      facts?.owner !== 0 ||
      (facts.mode & 0o7777) !== mode
    )
      throw new DiskError('damaged', `${path} is not in the root file system as it was put there.`);
  }
}
