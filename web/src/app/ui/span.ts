import { clock } from '@nest-mark/core';

/** Seconds, minutes and hours as people say them. */
export const span = (seconds: number): string =>
  seconds < 90
    ? `${String(Math.round(seconds))} s`
    : seconds < 5400
      ? `${String(Math.round(seconds / 60))} min`
      : `${clock(Math.round(seconds / 60) * 60).replace(/:00$/, '')} h`;
