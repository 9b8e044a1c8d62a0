import { constants } from 'node:fs';
import { access } from 'node:fs/promises';
import type { DiskSurvey } from '@nest-mark/core';
import type { BlockDevice } from './lsblk';

const may = (path: string, mode: number): Promise<boolean> =>
  access(path, mode).then(
    () => true,
    () => false,
  );

/** What is told of a disk before anybody asks it to be used; nothing of it is read. */
export async function surveyOf(device: BlockDevice): Promise<DiskSurvey> {
  const { path, bus, medium } = device;
  const { model, identity, holds, mounted, readOnly, removable, system } = medium;
  return {
    path,
    model,
    size: identity.size,
    bus,
    holds,
    mounted,
    readOnly,
    offered: removable && !system,
    why: system
      ? 'This computer runs from it, or something of the computer’s lies on it.'
      : removable
        ? ''
        : 'It is built in.',
    readable: await may(path, constants.R_OK),
    writable: await may(path, constants.W_OK),
  };
}
