/** Disks without anything else of the core; the stand-in boards may import this folder only. */
export * from './byte-source';
export * from './disk-error';
export * from './foreign';
export * from './inspect';
export * from './mbr';
export * from './partition';
export * from './overlay';
export * from './crc32c';
export * from './ext/volume';
export * from './fat/format';
export * from './fat/volume';
export type { FatEntry } from './fat/directory';
export type { FatGeometry } from './fat/geometry';
