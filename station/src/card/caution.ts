import { bothSizes } from '@nest-mark/core';

/** What of a medium is looked at for signs that it is no card to write on. */
export interface MediumSigns {
  size: number;
  /** How it is connected as the system names it, `usb`, `mmc`, `sata`; empty where that is not known. */
  bus: string;
  /** Its file systems; one without partitions counts as one. */
  volumes: readonly { fileSystem: string; label: string; size: number }[];
  /** Names in the root folders of the file systems that can be read here. */
  names: readonly string[];
}

/** Buses by which media are put in. Everything else that is named is inside the computer. */
const outside = new Set(['', 'usb', 'mmc', 'sd', 'ieee1394']);

/** File systems and containers of computers; images for boards with these are rare (common practice). */
const ofComputers =
  /^(ntfs|btrfs|xfs|hfs|hfsplus|hfs\+|apfs|luks|crypto_luks|bitlocker|lvm.*|linux_raid.*|zfs.*|refs|bcache)$/i;

/** Names that people and programs give to copies of their files (common practice). */
const ofBackups = /back[-_ ]?ups?\b|sicherung|sauvegarde|respaldo|archive?s?\b|snapshots?\b/i;

/** Folder of digital cameras (JEITA CP-3461, "Design rule for camera file system"). */
const ofCameras = /^dcim$/i;

/** A medium beyond this with a file system on it is more often somebody's disk than a card (common practice). */
const LARGE = 64e9;

const quoted = (names: readonly string[]): string => names.map((name) => `"${name}"`).join(', ');

/**
 * Why a medium looks like somebody's disk, or like a card with somebody's pictures, rather than like a card to write
 * on; null when nothing speaks for that. What is said can be checked by looking at the medium.
 */
export function cautionOf({ size, bus, volumes, names }: MediumSigns): string | null {
  const signs: string[] = [];
  if (!outside.has(bus.toLowerCase())) signs.push(`it is connected inside the computer (${bus})`);
  const computers = volumes.filter(({ fileSystem }) => ofComputers.test(fileSystem));
  if (computers.length > 0)
    signs.push(
      `it has file systems of a computer (${computers.map(({ fileSystem }) => fileSystem).join(', ')})`,
    );
  const backups = [...volumes.map(({ label }) => label), ...names].filter((name) => ofBackups.test(name));
  if (backups.length > 0)
    signs.push(`it names itself a copy of files (${quoted([...new Set(backups)].slice(0, 3))})`);
  if (names.some((name) => ofCameras.test(name))) signs.push('it has pictures of a camera (folder "DCIM")');
  const filled = volumes.filter(({ fileSystem }) => fileSystem !== 'unknown' && fileSystem !== 'swap');
  if (size > LARGE && filled.length > 0 && volumes.some((volume) => volume.size > LARGE))
    signs.push(`it has a file system of more than ${bothSizes(LARGE)}`);
  return signs.length === 0 ? null : signs.join('; ');
}
