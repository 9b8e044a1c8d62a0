import type { ByteSource } from '../disk/byte-source';
import { DiskError } from '../disk/disk-error';
import { RootBoot, SEED_FOLDER, type BootView } from './boot-view';
import type { InspectedPartition } from '../disk/inspect';
import { USUAL_LABEL } from '../system/cloud-init';
import { unreadSystem, type SystemFacts } from '../system/facts';
import { readSystem } from '../system/read-system';
import { bootMountOf, openRoot, readBaseTexts } from './base-files';
import { commandLinePath, wordsOfCommandLine } from './command-line';
import { seedFiles } from './file-names';
import { templatePath } from './network-template/writes';

/** Why no root file system could be read, for people. */
function whyUnread(partitions: readonly InspectedPartition[]): string {
  const others = [
    ...new Set(
      partitions
        .map(({ fileSystem }) => fileSystem)
        .filter((name) => !/^(fat|exfat|swap|unknown|ext)/.test(name)),
    ),
  ];
  return others.length > 0
    ? `Its root file system is ${others.join(' or ')}, which is not read here.`
    : 'No root file system was found on it.';
}

/** Boot loaders that read a list of their own and not the file with one line (UEFI specification 2.10, section 3.5). */
async function otherLoader(boot: BootView): Promise<string | null> {
  const names = (await boot.list()).map(({ name }) => name.toLowerCase());
  if (names.includes('config.txt')) return null;
  return ['efi', 'grub', 'boot.scr', 'extlinux'].find((name) => names.includes(name)) ?? null;
}

async function kernelLineOf(
  boot: BootView,
  texts: ReadonlyMap<string, string>,
): Promise<SystemFacts['kernelLine']> {
  const path = commandLinePath({ texts });
  if (path === null) return null;
  if (path.includes('/')) return { path, readBy: 'the boot loader that reads this list' };
  const other = await otherLoader(boot);
  if (other === null) return { path, readBy: 'the board’s own first stage' };
  const listed = commandLinePath({ texts: new Map([...texts].filter(([name]) => name !== path)) });
  return listed === null ? null : { path: listed, readBy: 'the boot loader that reads this list' };
}

/** Whether a folder of the running system is the boot partition. */
const leadsToBoot = (path: string, mountedAt: string | null): boolean => {
  const plain = path.replace(/\/+$/, '');
  return plain !== '' && (plain === mountedAt || /^\/boot(\/|$)/.test(plain));
};

/** What leads cloud-init to the boot partition (cloud-init documentation, "NoCloud"). */
function seedPlaceOf(
  system: SystemFacts,
  boot: BootView,
  names: readonly string[],
  words: readonly string[],
  mountedAt: string | null,
): string | null {
  const { seed } = system;
  if (!seed || seed.off !== '' || !seed.looked) return null;
  if (boot instanceof RootBoot)
    return `cloud-init looks in ${SEED_FOLDER} of the root file system, where it needs no partition of its own.`;
  const { label } = boot;
  // ds-identify, which runs before, switches cloud-init off where it finds none of several sources.
  const alone =
    seed.sources.length > 0 && seed.sources.every((name) => name === 'NoCloud' || name === 'None');
  const told = words.some((one) => /^ds=nocloud/i.test(one));
  const found = (text: string, usual: boolean): string | null =>
    usual || told || alone || !seed.identify ? text : null;
  if (label.toLowerCase() === seed.label)
    return found(
      `The boot partition is labelled ${label}, which cloud-init looks for${seed.labelWhere === '' ? '' : ` (${seed.labelWhere})`}.`,
      seed.label === USUAL_LABEL,
    );
  const named = /^ds=nocloud[^ ]*?;s(?:eedfrom)?=(?:file:\/\/)?(\/[^;]*)/i;
  const word = words.find((one) => named.test(one));
  if (word !== undefined && leadsToBoot(named.exec(word)?.[1] ?? '', mountedAt))
    return `The kernel’s command line says ${word}.`;
  const from = seed.from.replace(/^file:\/\//, '');
  if (leadsToBoot(from, mountedAt))
    return found(`${seed.fromWhere} leads cloud-init to ${from}.`, seed.fromWhere.startsWith('/var/'));
  return seedFiles.slice(0, 2).every((name) => names.includes(name))
    ? 'The boot partition brings a seed of its own, and cloud-init is there to read it.'
    : null;
}

/**
 * Adds what of a boot partition acts to what is known of a system.
 * @param mountedAt where the system mounts it; null where that is not told
 * @throws DiskError when the boot partition is damaged
 */
export async function lookAtBoot(
  boot: BootView,
  system: SystemFacts,
  mountedAt: string | null,
): Promise<SystemFacts> {
  const texts = await readBaseTexts(boot);
  const kernelLine = await kernelLineOf(boot, texts);
  const words = kernelLine ? wordsOfCommandLine(kernelLine.path, texts.get(kernelLine.path) ?? '') : [];
  const names = (await boot.list()).map(({ name }) => name.toLowerCase());
  return {
    ...system,
    kernelLine,
    template: templatePath(texts),
    seedPlace: seedPlaceOf(system, boot, names, words, mountedAt),
  };
}

/**
 * What an image can do: as its root file system tells, and what of its boot partition acts.
 * @param boot its boot partition; where it has none, its root stands for it
 * @throws DiskError when the boot partition is damaged
 */
export async function lookAtSystem(
  disk: ByteSource,
  partitions: readonly InspectedPartition[],
  boot: BootView | null,
): Promise<SystemFacts> {
  const root = await openRoot(disk, partitions);
  const system = root
    ? await readSystem(root).catch((error: unknown) => {
        if (error instanceof DiskError || error instanceof RangeError)
          return unreadSystem(
            error instanceof DiskError ? error.message : 'The root file system is cut off.',
          );
        throw error;
      })
    : unreadSystem(whyUnread(partitions));
  const view = boot ?? (root && new RootBoot(root));
  return view ? lookAtBoot(view, system, await bootMountOf(root)) : system;
}
