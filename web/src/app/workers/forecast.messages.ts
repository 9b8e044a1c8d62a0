import type { Forecast, ForecastInput, WhatIf } from '@nest-mark/core';

export interface ForecastRequest {
  turn: number;
  input: ForecastInput;
  /** Whether the planned image has a desktop, so that a minimal one is worth a thought. */
  desktop: boolean;
}

export type ForecastAnswer =
  | { turn: number; ok: true; forecast: Forecast; whatIfs: WhatIf[]; milliseconds: number }
  | { turn: number; ok: false; message: string };
