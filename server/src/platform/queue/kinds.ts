/** Kinds of work that lasts; each has a lane of its own in the queue. */
export const runKinds = [
  'round',
  'search',
  'watch',
  'capacity-check',
  'image-reading',
  'bring-up',
  'move',
  'rehearsal',
  'exposure',
] as const;
export type RunKind = (typeof runKinds)[number];
