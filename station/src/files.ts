/** Files as disks: what the Linux adapters and the stand-in cards have in common. */
export * from './card/content-digest';
export * from './card/look';
export type { OpenedToRead } from './card/read-trial';
export * from './image/file-source';
export * from './linux/direct-file';
export type { MarkFile } from '@nest-mark/core';
