import type { BatchProgress } from '@nest-mark/core';

/** A batch of which nothing is known yet. */
export const noProgress = (batchId: string): BatchProgress => ({
  batchId,
  devices: [],
  strangers: [],
  rounds: [],
  search: null,
  watch: null,
  hosts: [],
  remembered: null,
  arrivals: {},
  look: '',
});
