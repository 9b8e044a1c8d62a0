import * as z from 'zod';
import { CardRecordSchema } from '../cards/record';
import { MeasuredRateSchema } from '../forecast/rates';
import { MarkFileSchema } from '../plan/mark-file';
import { CardStateSchema } from '../progress/standing';
import { MediumIdentitySchema } from './cards';

/** Messages about slots and rounds. Times are milliseconds since 1970. */

const time = z.number();

export const MediumSchema = z.object({
  identity: MediumIdentitySchema,
  model: z.string(),
  removable: z.boolean(),
  readOnly: z.boolean(),
  mounted: z.array(z.string()),
  system: z.boolean(),
  holds: z.string(),
  /** What speaks against its being a card to write on. */
  caution: z.string().nullable(),
  label: MarkFileSchema.nullable(),
});

/** One slot of the next round. */
export const ProposedCardSchema = z.object({
  slotId: z.string(),
  slotTitle: z.string(),
  medium: MediumSchema.nullable(),
  deviceId: z.uuid().nullable(),
  /** Why this medium must not be written. */
  refusal: z.string().nullable(),
  /** What a person has to type to have it written all the same; null where nobody may. */
  overruledBy: z.string().nullable(),
  /** What this card has been through; null for one that was never written here. */
  record: CardRecordSchema.nullable(),
  /** The device whose verified card this is; such a card is never proposed for erasing. */
  verifiedFor: z
    .object({
      deviceId: z.uuid(),
      hostName: z.string(),
      mark: z.string(),
      nest: z.string(),
      batchName: z.string(),
    })
    .nullable(),
});
export type ProposedCard = z.infer<typeof ProposedCardSchema>;

export const ProposalSchema = z.object({
  cards: z.array(ProposedCardSchema),
  /** When the reader was looked at. */
  at: time,
  /** Why nothing can be written at all. */
  blockers: z.array(z.string()),
  waiting: z.number(),
});
export type Proposal = z.infer<typeof ProposalSchema>;

export const ArmRoundSchema = z.object({
  cards: z
    .array(
      z.object({
        slotId: z.string(),
        deviceId: z.uuid(),
        identity: MediumIdentitySchema,
        /** What the person typed about a medium that does not look like a card. */
        overrule: z.string().max(400).optional(),
      }),
    )
    .min(1, 'Choose at least one card.')
    .max(16),
  /** `erase N`, typed by a person. */
  confirm: z.string(),
  /** When the proposal was made that the person looked at. */
  lookedAt: time,
});
export type ArmRound = z.infer<typeof ArmRoundSchema>;

/** Takes unfinished cards of a round up again: all of them, or the one of a slot. */
export const ResumeRoundSchema = z.object({
  confirm: z.string(),
  lookedAt: time,
  only: z.string().optional(),
  /** What the person looked at in the slots of those cards: a card that was written in part is not what it was. */
  media: z
    .array(
      z.object({
        slotId: z.string(),
        identity: MediumIdentitySchema,
        overrule: z.string().max(400).optional(),
      }),
    )
    .max(16),
});
export type ResumeRound = z.infer<typeof ResumeRoundSchema>;

/** Milliseconds after which what a person looked at no longer counts. */
export const LOOK_LASTS = 10 * 60_000;

/** Milliseconds by which the time of a look may lie ahead: the proposal bears the server's own time. */
export const LOOK_AHEAD = 2_000;

/** What has to be typed to arm a round of so many cards. */
export const armingPhrase = (count: number): string => `erase ${String(count)}`;

export const RoundCardSchema = z.object({
  slotId: z.string(),
  deviceId: z.uuid(),
  serial: z.string(),
  /** Which card record it belongs to. */
  cardKey: z.string().nullable(),
  state: CardStateSchema,
  share: z.number(),
  /** Octets per second at present; 0 when unknown. */
  rate: z.number(),
  secondsLeft: z.number().nullable(),
  message: z.string(),
  at: time,
  /** Whether it was read back past the system's cache; null while that is not known. */
  pastCache: z.boolean().nullable(),
});
export type RoundCard = z.infer<typeof RoundCardSchema>;

export const RoundSchema = z.object({
  id: z.uuid(),
  batchId: z.uuid(),
  number: z.number(),
  /** The station that writes it. */
  station: z.string(),
  /** Who armed it, in words. */
  begunBy: z.string(),
  state: z.enum(['queued', 'running', 'done', 'interrupted', 'cancelled']),
  /** Held between two blocks. */
  paused: z.boolean(),
  startedAt: time,
  endedAt: time.nullable(),
  cards: z.array(RoundCardSchema),
});
export type Round = z.infer<typeof RoundSchema>;

export const RateListSchema = z.array(MeasuredRateSchema);
