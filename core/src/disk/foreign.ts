import type { ByteSource } from './byte-source';

/** What people take for an image of a disk. */

const matches = async (disk: ByteSource, at: number, magic: string): Promise<boolean> => {
  if (disk.size < at + magic.length) return false;
  return String.fromCharCode(...(await disk.read(at, magic.length))) === magic;
};

/** The first volume descriptor of an optical disc (ECMA-119 section 8.1; its sectors have 2048 octets). */
const DESCRIPTOR = 16 * 2048;

/** Whether a disk is, or is at the same time, an image of an optical disc. */
export const isOptical = (disk: ByteSource): Promise<boolean> => matches(disk, DESCRIPTOR + 1, 'CD001');

/** Name of an optical disc (ECMA-119 section 8.4.7). */
export async function opticalLabel(disk: ByteSource): Promise<string> {
  return String.fromCharCode(...(await disk.read(DESCRIPTOR + 40, 32))).trim();
}

/** What something is that is no partitioned disk, as a sentence; null when it is nothing that is known here. */
export async function foreignKind(disk: ByteSource): Promise<string | null> {
  // Linux documentation, "The Linux/x86 Boot Protocol" (HdrS at 0x202), "Booting AArch64 Linux", System V ABI.
  if (
    (await matches(disk, 514, 'HdrS')) ||
    (await matches(disk, 56, 'ARM\x64')) ||
    (await matches(disk, 0, '\x7fELF'))
  )
    return 'This is a kernel or a program, not a disk image. Choose the image that it belongs to.';
  if (await matches(disk, 1080, '\x53\xef'))
    return 'This is the image of one ext file system without a partition table, and no board starts from it as it is. Choose the image of the whole disk.';
  if ((await matches(disk, 54, 'FAT1')) || (await matches(disk, 82, 'FAT32')))
    return 'This is the image of one FAT file system without a partition table, and no board starts from it as it is. Choose the image of the whole disk.';
  return (await isOptical(disk))
    ? `This is the image of an optical disc (“${await opticalLabel(disk)}”) that cannot be started from a card. Choose an image for cards.`
    : null;
}
