import * as z from 'zod';

/** Why a board does not appear. */
export const CauseIdSchema = z.enum([
  'not-powered',
  'not-seated',
  'weak-supply',
  'still-booting',
  'elsewhere',
  'network-off',
  'other-name',
  'other-key',
  'other-band',
  'other-country',
  'hidden',
  'no-address',
  'kept-apart',
  'other-width',
  'card-spoilt',
  'other-card',
  'copied-card',
  'login-off',
  'board-broken',
  'unknown',
]);
export type CauseId = z.infer<typeof CauseIdSchema>;

/** What can be looked at or asked. */
export const CheckIdSchema = z.enum([
  'same-network',
  'power-light',
  'activity-light',
  'still-flickers',
  'card-sits',
  'other-supply',
  'name-heard',
  'name-spelt',
  'key-tried',
  'band-sent',
  'country-same',
  'name-hidden',
  'addresses-free',
  'router-lists',
  'kept-apart',
  'label-read',
  'card-check',
  'width-fits',
  'other-board',
]);
export type CheckId = z.infer<typeof CheckIdSchema>;

export const AnswerSchema = z.enum(['yes', 'no', 'unsure']);
export type Answer = z.infer<typeof AnswerSchema>;

/** Where a cause is mended. */
export const MendPlaceSchema = z.enum(['boot', 'cards', 'card-check', 'networks', 'image', 'power']);
export type MendPlace = z.infer<typeof MendPlaceSchema>;

/** How many boards one cause of a kind can keep away: a single one, or all that share something. */
export type Reach = 'board' | 'image' | 'network' | 'bench';

/** A cause as the search for it needs it. */
export interface Weighed<C extends string = string> {
  id: C;
  /** How often it is the cause, against the others; any scale. */
  odds: number;
}

/** A check as the choice among them needs it. */
export interface AskedCheck<C extends string = string, K extends string = string> {
  id: K;
  /** Minutes of a person's time, walking and hands included. */
  minutes: number;
  /** How often the answer is yes where this is the cause, 0 to 1. */
  yes: (cause: C) => number;
}

/** Something that is known without asking: how often it would be seen for each cause, 0 to 1. */
export interface Known {
  /** For people. */
  text: string;
  fits: (cause: CauseId) => number;
}
