import { open } from 'node:fs/promises';
import { emptyMedium, FatVolume, Overlay, SliceSource, shiftPatches } from '@nest-mark/core/disk';
import { FileSource } from '@nest-mark/station/files';

/** The disk in the drawer that must never be written. */
export const BACKUP_DISK = 'backup-disk';

/** Where `emptyMedium` begins its partition. */
const START = 1 << 20;
const utf8 = (text: string): Uint8Array => new TextEncoder().encode(text);

/** Puts what a backup disk holds onto it: one large file system with copies of somebody's files. */
export async function fillBackupDisk(path: string, size: number): Promise<void> {
  const file = await open(path, 'r+');
  const source = await FileSource.open(path);
  try {
    // The file is sparse, so that what has to be zero is so already.
    for (const { offset, bytes } of emptyMedium(size, 0x4d41_5253).patches)
      await file.write(bytes, 0, bytes.length, offset);
    const overlay = new Overlay(new SliceSource(source, START, size - START));
    const volume = await FatVolume.open(overlay);
    await volume.writeFile('Backup of the workbench/tide tables.csv', utf8('day,high,low\n1,05:12,11:31\n'));
    await volume.writeFile(
      'Backup of the workbench/notes on spat.txt',
      utf8('Nineteen rows by the end of May.\n'),
    );
    for (const { offset, bytes } of shiftPatches(overlay.patches(), START))
      await file.write(bytes, 0, bytes.length, offset);
  } finally {
    await source.close();
    await file.close();
  }
}
