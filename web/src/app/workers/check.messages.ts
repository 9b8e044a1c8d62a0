import type { BootFiles, CardCheck, CheckFix } from '@nest-mark/core';

/** One file is an image or a card; several are what lies on a boot partition. */
export interface CheckFilesRequest {
  turn: number;
  files: File[];
}
/** What was read before, with a fix to be done to it. */
export interface CheckMendedRequest {
  turn: number;
  boot: BootFiles;
  fix: CheckFix;
}
export type CheckRequest = CheckFilesRequest | CheckMendedRequest;

export type CheckAnswer =
  | { turn: number; ok: true; check: CardCheck; boot: BootFiles; octetsRead: number; milliseconds: number }
  | { turn: number; ok: false; message: string };
