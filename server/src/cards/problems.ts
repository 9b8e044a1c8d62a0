import type { ProblemCode } from '@nest-mark/core';

/** What a reader may say of the card in a slot. */
export const readerProblems = [
  'card-pulled',
  'card-changed',
  'card-busy',
  'card-protected',
  'card-rights',
  'card-io',
  'card-stalled',
  'card-mismatch',
  'card-image',
  'card-small',
] as const satisfies readonly ProblemCode[];

/** What looking at the card in a slot may be answered. */
export const lookProblems = [
  'card-missing',
  'slot-busy',
  'card-content',
  ...readerProblems,
] as const satisfies readonly ProblemCode[];

/** What guards may say before a card is erased. */
export const guardProblems = [
  'card-missing',
  'card-changed',
  'card-unreadable',
  'card-system',
  'card-mounted',
  'card-fixed',
  'card-protected',
  'card-large',
  'card-small',
  'card-holds',
  'slot-busy',
  'not-confirmed',
] as const satisfies readonly ProblemCode[];
