import type { BootFiles, CardCheck, CheckFix, OwnMethod } from '@nest-mark/core';

interface ByMethods {
  turn: number;
  /** Methods that people described. */
  own: readonly OwnMethod[];
}

/** One file is an image or a card; several are what lies on a boot partition. */
export interface CheckFilesRequest extends ByMethods {
  files: File[];
}
/** What was read before, with a fix to be done to it. */
export interface CheckMendedRequest extends ByMethods {
  boot: BootFiles;
  fix: CheckFix;
}
export type CheckRequest = CheckFilesRequest | CheckMendedRequest;

export type CheckAnswer =
  | { turn: number; ok: true; check: CardCheck; boot: BootFiles; octetsRead: number; milliseconds: number }
  | { turn: number; ok: false; message: string };
