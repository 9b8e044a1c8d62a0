import type { BootFiles, CardCheck } from '@nest-mark/core';

/** One file is an image or a card; several are what lies on a boot partition. */
export interface CheckRequest {
  turn: number;
  files: File[];
}

export type CheckAnswer =
  | { turn: number; ok: true; check: CardCheck; boot: BootFiles; octetsRead: number; milliseconds: number }
  | { turn: number; ok: false; message: string };
