import type { ByteSource } from '../byte-source';
import { DiskError } from '../disk-error';

/** Where the parts of a FAT volume lie, in octets from its start, and how its table is written. */
export interface FatGeometry {
  bits: 12 | 16 | 32;
  sectorSize: number;
  clusterSize: number;
  clusters: number;
  fatOffset: number;
  fatSize: number;
  fatCopies: number;
  /** The fixed root directory of FAT12 and FAT16; size 0 on FAT32. */
  rootOffset: number;
  rootSize: number;
  /** First cluster of the root directory on FAT32, else 0. */
  rootCluster: number;
  dataOffset: number;
  /** Sector with the free counts on FAT32, or null. */
  fsInfoOffset: number | null;
  label: string;
  /** FAT32 by its layout with fewer clusters than the specification wants; some readers take it for FAT16. */
  tooFewClusters: boolean;
}

const damaged = (what: string): DiskError =>
  new DiskError('damaged', `The boot partition’s file system is damaged: ${what}. Get the image again.`);

/**
 * Reads a FAT boot sector (Microsoft FAT specification 1.03, pages 9 to 15; also ECMA-107).
 * The layout decides between FAT32 and the older kinds, the number of clusters between FAT12 and FAT16.
 * @throws DiskError when it is no FAT volume or its fields contradict each other
 */
export async function readGeometry(volume: ByteSource): Promise<FatGeometry> {
  if (volume.size < 512) throw damaged('it is too short');
  const sector = await volume.read(0, 512);
  const view = new DataView(sector.buffer, sector.byteOffset, 512);
  const u8 = (at: number): number => view.getUint8(at);
  const u16 = (at: number): number => view.getUint16(at, true);
  const u32 = (at: number): number => view.getUint32(at, true);

  if (u8(510) !== 0x55 || u8(511) !== 0xaa || (u8(0) !== 0xeb && u8(0) !== 0xe9))
    throw new DiskError('missing', 'There is no FAT file system here.');
  const sectorSize = u16(11);
  const perCluster = u8(13);
  if (![512, 1024, 2048, 4096].includes(sectorSize)) throw damaged('the sector size is impossible');
  if (perCluster === 0 || (perCluster & (perCluster - 1)) !== 0)
    throw damaged('the cluster size is impossible');
  const reserved = u16(14);
  const fatCopies = u8(16);
  const rootEntries = u16(17);
  const sectors = u16(19) || u32(32);
  const fatSectors = u16(22) || u32(36);
  const layout32 = rootEntries === 0 && u16(22) === 0;
  const rootSectors = Math.ceil((rootEntries * 32) / sectorSize);
  const dataStart = reserved + fatCopies * fatSectors + rootSectors;
  if (reserved === 0 || fatCopies === 0 || fatSectors === 0 || dataStart >= sectors)
    throw damaged('the sizes of its parts do not fit');
  if (sectors * sectorSize > volume.size)
    throw new DiskError('cut-off', 'The boot partition is cut off. Get the image again.');
  const clusters = Math.floor((sectors - dataStart) / perCluster);
  const bits = layout32 ? 32 : clusters < 4085 ? 12 : 16;
  const fatSize = fatSectors * sectorSize;
  if ((fatSize * 8) / bits < clusters + 2) throw damaged('its table is shorter than the volume');
  const infoSector = layout32 ? u16(48) : 0;
  const label = String.fromCharCode(...sector.subarray(layout32 ? 71 : 43, layout32 ? 82 : 54)).trim();
  return {
    bits,
    sectorSize,
    clusterSize: perCluster * sectorSize,
    clusters,
    fatOffset: reserved * sectorSize,
    fatSize,
    fatCopies,
    rootOffset: (reserved + fatCopies * fatSectors) * sectorSize,
    rootSize: rootEntries * 32,
    rootCluster: layout32 ? u32(44) : 0,
    dataOffset: dataStart * sectorSize,
    fsInfoOffset: infoSector > 0 && infoSector < reserved ? infoSector * sectorSize : null,
    label,
    tooFewClusters: layout32 && clusters < 65_525,
  };
}
