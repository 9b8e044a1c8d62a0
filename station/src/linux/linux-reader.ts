import { execFile } from 'node:child_process';
import { constants, existsSync, readdirSync, realpathSync } from 'node:fs';
import { lstat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { promisify } from 'node:util';
import type { DiskSurvey } from '@nest-mark/core';
import type { ByteSource } from '@nest-mark/core/disk';
import { cautionOf } from '../card/caution';
import { contentDigest } from '../card/content-digest';
import { lookAtCard, type CardLook } from '../card/look';
import type { OpenedToRead } from '../card/read-trial';
import {
  CardError,
  samePlace,
  type CardHandle,
  type CardReader,
  type DiskTable,
  type MediumIdentity,
  type Slot,
} from '../ports';
import { DirectFile } from './direct-file';
import { kernelFacts, type KernelFacts } from './kernel-facts';
import { surveyOf } from './survey';
import { LSBLK_ARGUMENTS, readLsblk, type BlockDevice } from './lsblk';

const run = promisify(execFile);
const byPath = '/dev/disk/by-path';
/** Milliseconds between two looks at what is plugged in. */
const LOOK_EVERY = 2000;

export interface LinuxReaderOptions {
  /** Which devices are offered at all; by default the removable ones. */
  offers?: (device: BlockDevice) => boolean;
  /** What lsblk prints, and what the kernel tells beside it; for tests. */
  list?: () => Promise<string>;
  facts?: (name: string) => Promise<KernelFacts>;
}

/** A disk with all that is known of it without reading it. */
interface Disk extends BlockDevice {
  /** When its medium was changed, by the kernel's count; null where the kernel does not count. */
  changes: string | null;
}

/** What a medium is, beside its place and size. */
type Seen = CardLook & { content: string };

/** Name of a place that stays the same for the same socket; the device's own name where there is none. */
function stablePath(path: string): string {
  if (!existsSync(byPath)) return path;
  for (const name of readdirSync(byPath))
    if (!/-part\d+$/.test(name) && realpathSync(join(byPath, name)) === path) return name;
  return path;
}

const noRights = (path: string): CardError =>
  new CardError(
    'rights',
    `This account may not use ${path}. Give it the right: as root run "usermod -aG disk $USER" and log in again, or better, give it only card readers by a udev rule with TAG+="uaccess" for removable disks. Nothing was erased.`,
  );

/** The card readers of this computer: Linux block devices that were put in. */
export class LinuxReader implements CardReader, DiskTable {
  private readonly open_ = new Set<string>();
  /** What was seen of the media that are in, each until it goes. */
  private readonly seen = new Map<string, Seen>();

  constructor(private readonly options: LinuxReaderOptions = {}) {}

  private async print(): Promise<string> {
    return this.options.list
      ? this.options.list()
      : (await run('lsblk', LSBLK_ARGUMENTS, { maxBuffer: 1 << 24 })).stdout;
  }

  /** Every whole disk as the system sees it, also those that are never offered. @throws when lsblk is missing */
  async survey(): Promise<DiskSurvey[]> {
    const disks = readLsblk(await this.print()).filter(({ type }) => type === 'disk');
    return Promise.all(disks.map(surveyOf));
  }

  /** The devices that are offered, as they are now. @throws when lsblk is missing */
  async devices(): Promise<Disk[]> {
    const text = await this.print();
    const offers =
      this.options.offers ?? (({ type, medium }) => type === 'disk' && medium.removable && !medium.system);
    const disks = await Promise.all(
      readLsblk(text).map(async (device): Promise<Disk> => {
        const facts = await (this.options.facts ?? kernelFacts)(basename(device.path));
        const identity = { ...device.medium.identity, path: stablePath(device.path), serial: facts.cid };
        return {
          ...device,
          bus: facts.soldered ? 'soldered flash' : device.bus,
          changes: facts.changes,
          medium: { ...device.medium, identity },
        };
      }),
    );
    const offered = disks.filter(offers);
    // What was seen of a medium is forgotten when it goes: the next one in its place is another until it was looked at.
    const there = new Set(offered.map(keyOf));
    for (const key of this.seen.keys()) if (!there.has(key)) this.seen.delete(key);
    return offered;
  }

  async list(look?: 'anew'): Promise<Slot[]> {
    return Promise.all(
      (await this.devices()).map(async (device) => {
        const { content, ...what } = await this.look(device, look === 'anew');
        const identity = { ...device.medium.identity, content };
        return {
          id: slotOf(device.path),
          title: `Reader ${device.path.replace('/dev/', '')}`,
          medium: { ...device.medium, ...what, identity },
        };
      }),
    );
  }

  async open(slotId: string, identity: MediumIdentity): Promise<CardHandle> {
    const device = (await this.devices()).find(({ path }) => slotOf(path) === slotId);
    if (!device)
      throw new CardError(
        'pulled',
        'There is no card in the reader any more. Put it back and arm the round again.',
      );
    if (!samePlace(device.medium.identity, identity)) throw changed();
    if (device.medium.readOnly)
      throw new CardError('protected', 'The card is write-protected. Slide its lock to the other side.');
    if (this.open_.has(device.path))
      throw new CardError('busy', 'The card is being used already. Wait until that has ended.');
    this.open_.add(device.path);
    let handle: DirectFile | null = null;
    try {
      handle = await openExclusively(device);
      await this.compare(device, handle, identity);
    } catch (error) {
      await handle?.close();
      this.open_.delete(device.path);
      throw error;
    }
    this.seen.delete(keyOf(device));
    return this.handleOf(device, handle);
  }

  /**
   * Between listing and opening the card may have been swapped; what is open now stays what it is.
   * @throws CardError when it is another one, or holds other things, than the one that was meant
   */
  private async compare(device: Disk, handle: DirectFile, identity: MediumIdentity): Promise<void> {
    const now = (await this.devices()).find(({ path }) => path === device.path);
    if (!now || !samePlace(now.medium.identity, identity) || now.number !== device.number) throw changed();
    if (now.changes !== device.changes) throw changed();
    const content = await contentDigest(sourceOf(handle)).catch(explain);
    if (content !== identity.content) throw changed();
  }

  private handleOf(device: Disk, handle: DirectFile): CardHandle {
    return {
      size: handle.size,
      pastCache: handle.pastCache,
      write: (block, offset) => handle.write(block, offset).catch(explain),
      read: (into, offset) => handle.read(into, offset).catch(explain),
      flush: () => handle.flush().catch(explain),
      close: async () => {
        await handle.close();
        // Without it the system shows the old partitions until the card is put in again.
        await run('blockdev', ['--rereadpt', device.path]).catch(() => undefined);
        // Some drivers answer that they did and did not.
        await run('partx', ['--update', device.path]).catch(() => undefined);
        this.open_.delete(device.path);
        this.seen.delete(keyOf(device));
      },
    };
  }

  watch(listener: () => void): () => void {
    let last: string | null = null;
    let looking = false;
    let ended = false;
    const look = async (): Promise<void> => {
      // One that takes long, on a busy computer or a slow reader, would be overtaken and tell what is no more.
      if (looking) return;
      looking = true;
      const now = (await this.devices().catch(() => [])).map(keyOf).join('\n');
      looking = false;
      if (last !== null && now !== last && !ended) listener();
      last = now;
    };
    const timer = setInterval(() => void look(), LOOK_EVERY);
    timer.unref();
    return () => {
      ended = true;
      clearInterval(timer);
    };
  }

  /** Takes a medium's partitions out of use. Ask the person first. @throws CardError with what the system says */
  async release(slotId: string): Promise<void> {
    const device = (await this.devices()).find(({ path }) => slotOf(path) === slotId);
    for (const { path, mountedAt } of device?.inUse ?? [])
      await run('umount', ['--', mountedAt]).catch((error: unknown) => {
        const said =
          error instanceof Error ? error.message.split('\n').slice(1).join(' ').trim() : String(error);
        throw new CardError(
          'busy',
          `${path} stays in use as ${mountedAt}: ${said || 'it cannot be released'}.`,
        );
      });
  }

  /** Makes a medium safe to pull where the reader can: flushes it and cuts its power. */
  async eject(slotId: string): Promise<void> {
    const device = (await this.devices()).find(({ path }) => slotOf(path) === slotId);
    if (!device || this.open_.has(device.path)) return;
    await run('udisksctl', ['power-off', '--no-user-interaction', '-b', device.path])
      .catch(() => run('eject', [device.path]))
      .catch(() => undefined);
  }

  async openToRead(slotId: string): Promise<OpenedToRead> {
    const device = (await this.devices()).find(({ path }) => slotOf(path) === slotId);
    if (!device) throw new CardError('pulled', 'There is no card in the reader any more. Put it back.');
    if (this.open_.has(device.path))
      throw new CardError('busy', 'The card is being used already. Wait until that has ended.');
    const { path, medium } = device;
    const file = await DirectFile.openToRead(path, medium.identity.size).catch((error: unknown) => {
      const { code } = error as NodeJS.ErrnoException;
      if (code === 'EACCES' || code === 'EPERM') throw noRights(path);
      return explain(error);
    });
    return {
      ...sourceOf(file),
      into: (buffer, offset) => file.read(buffer, offset).catch(explain),
      close: () => file.close(),
    };
  }

  private async look(device: Disk, anew: boolean): Promise<Seen> {
    const key = keyOf(device);
    const known = anew || device.changes === null ? undefined : this.seen.get(key);
    if (known) return known;
    // Without the right to read it, what the system knows of it has to do; it cannot be armed then.
    const unread: Seen = {
      holds: device.medium.holds,
      label: null,
      content: '',
      caution: cautionOf({
        size: device.medium.identity.size,
        bus: device.bus,
        volumes: device.volumes,
        names: [],
      }),
    };
    if (this.open_.has(device.path)) return { ...unread, holds: 'being written', caution: null };
    const file = await DirectFile.openToRead(device.path, device.medium.identity.size).catch(() => null);
    if (!file) return unread;
    try {
      const source = sourceOf(file);
      const content = await contentDigest(source);
      const look = await lookAtCard(source, device.bus);
      const told = cautionOf({
        size: file.size,
        bus: '',
        volumes: look.label ? [] : device.volumes,
        names: [],
      });
      const caution = look.caution ?? told;
      const found = { ...look, caution, content };
      if (!this.open_.has(device.path)) this.seen.set(key, found);
      return found;
    } catch {
      // A medium that cannot be read tells nothing; that it cannot be written shows when it is.
      return unread;
    } finally {
      await file.close();
    }
  }
}

const sourceOf = (file: DirectFile): ByteSource => ({
  size: file.size,
  read: async (offset, length) => {
    const bytes = new Uint8Array(length);
    await file.read(bytes, offset);
    return bytes;
  },
});

const slotOf = (path: string): string => `reader-${path.replace('/dev/', '').replaceAll('/', '-')}`;
const keyOf = ({ path, number, changes, medium, inUse }: Disk): string =>
  [
    path,
    number,
    changes,
    medium.identity.size,
    medium.identity.serial,
    medium.readOnly,
    ...inUse.map(({ mountedAt }) => mountedAt),
  ].join(' ');

const changed = (): CardError =>
  new CardError(
    'changed',
    'Another card is in the reader than when the round was armed. Look at it and arm again.',
  );

/** Opens the device itself, never a link to something else, and nothing that anybody uses. @throws CardError */
async function openExclusively({ path, medium, number }: Disk): Promise<DirectFile> {
  const found = await lstat(path).catch(() => null);
  if (!found?.isBlockDevice())
    throw new CardError('changed', `${path} is not a disk any more. Nothing was erased. Look again.`);
  const major = Math.floor(found.rdev / 256) & 0xfff;
  const minor = (found.rdev & 0xff) | (Math.floor(found.rdev / 2 ** 12) & ~0xff & 0xfffff);
  if (number !== `${String(major)}:${String(minor)}`) throw changed();
  try {
    return await DirectFile.open(path, medium.identity.size, constants.O_EXCL | constants.O_NOFOLLOW);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === 'EACCES' || code === 'EPERM') throw noRights(path);
    if (code === 'EBUSY')
      throw new CardError('busy', `${path} is in use. Release what is mounted from it, then arm again.`);
    if (code === 'EROFS')
      throw new CardError('protected', 'The card is write-protected. Slide its lock to the other side.');
    throw error;
  }
}

/** What the kernel says of a medium that went away or fails. */
function explain(error: unknown): never {
  const { code } = error as NodeJS.ErrnoException;
  if (code === 'ENOMEDIUM' || code === 'ENXIO' || code === 'ENODEV')
    throw new CardError(
      'pulled',
      'The card was pulled out while it was in use. Put it back and write it again.',
    );
  if (code === 'EROFS' || code === 'EPERM')
    throw new CardError('protected', 'The card is write-protected. Slide its lock to the other side.');
  throw error;
}
