import * as z from 'zod';
import { BoardTimeSchema } from '../forecast/board-time';

/** Messages about bringing boards up. Times are milliseconds since 1970. */

const time = z.number();

/**
 * How a step stands on a board. `well`: there was nothing to do; `done`: it was done and verified; `differs`: it is
 * otherwise than planned and a person decides; `held`: it waits for what is before it.
 */
export const StepStateSchema = z.enum([
  'queued',
  'asking',
  'waiting',
  'doing',
  'well',
  'done',
  'differs',
  'failed',
  'unknown',
  'skipped',
  'held',
]);
export type StepState = z.infer<typeof StepStateSchema>;

export const BoardFindingSchema = z.object({
  severity: z.enum(['stops', 'warns', 'note']),
  text: z.string(),
  todo: z.string(),
});

/** How far a job on the board is. */
export const JobProgressSchema = z.object({
  phase: z.enum(['begin', 'lists', 'download', 'install', 'clean']),
  share: z.number(),
  text: z.string(),
});

/** One step on one board. */
export const BoardStepSchema = z.object({
  stepId: z.string(),
  state: StepStateSchema,
  /** What came of it, in a sentence. */
  text: z.string(),
  findings: z.array(BoardFindingSchema),
  at: time,
});
export type BoardStep = z.infer<typeof BoardStepSchema>;

/** How a board's bringing up stands as a whole. */
export const BoardStateSchema = z.enum(['queued', 'running', 'ready', 'hand', 'stopped', 'interrupted']);
export type BoardState = z.infer<typeof BoardStateSchema>;

export const BoardBringUpSchema = z.object({
  deviceId: z.uuid(),
  state: BoardStateSchema,
  /** Why a person is needed, in a sentence; empty otherwise. */
  message: z.string(),
  steps: z.array(BoardStepSchema),
  /** How far the job of its present step is; null where there is none. */
  job: JobProgressSchema.nullable(),
  /** Whether the bench's key is known to be off the board. */
  keyOff: z.boolean(),
  /** When its power may be cut, since it was shut down properly; null otherwise. */
  offAt: time.nullable(),
  at: time,
});
export type BoardBringUp = z.infer<typeof BoardBringUpSchema>;

/** A step as the page shows it. */
export const StepViewSchema = z.object({
  id: z.string(),
  title: z.string(),
  why: z.string(),
  source: z.string(),
  byHand: z.string(),
  changes: z.boolean(),
  last: z.boolean(),
  minutes: z.number(),
});
export type StepView = z.infer<typeof StepViewSchema>;

/** By what the bench logs in. */
export const LoginWaySchema = z.enum(['bench-key', 'agent', 'password']);
export type LoginWay = z.infer<typeof LoginWaySchema>;

export const BringUpSchema = z.object({
  batchId: z.uuid(),
  /** The steps of the batch, in working order. */
  steps: z.array(StepViewSchema),
  boards: z.array(BoardBringUpSchema),
  /** Steps that are left out on a device, with the reason. */
  skips: z.array(z.object({ deviceId: z.uuid(), stepId: z.string(), reason: z.string() })),
  /** Runs under way. */
  running: z.array(z.object({ id: z.uuid(), station: z.string(), boards: z.number() })),
  /** Seconds until the last board of the runs under way is done, as a guess; null where none is. */
  secondsLeft: z.number().nullable(),
  /** Ways to log in that this bench has, and why it has the others not. */
  ways: z.array(z.object({ way: LoginWaySchema, lacks: z.string() })),
  /** Whether whoever runs this station lets people open terminals. */
  terminals: z.boolean(),
});
export type BringUp = z.infer<typeof BringUpSchema>;

export const StartBringUpSchema = z.object({
  deviceIds: z.array(z.uuid()).min(1).max(1000),
  way: LoginWaySchema.default('bench-key'),
});

export const SkipStepSchema = z.object({
  stepId: z.string().max(60),
  /** Why; empty takes the skipping back. */
  reason: z.string().trim().max(400),
});

/** How long boards took to be brought up, for forecasts. */
export const BoardTimeListSchema = z.array(BoardTimeSchema);

/** What a board printed, as it came. */
export const BoardOutputSchema = z.object({
  /** Octets that were told by now; ask from here on. */
  end: z.number(),
  /** Whether something before was dropped, since it was too much. */
  dropped: z.boolean(),
  text: z.string(),
});
export type BoardOutput = z.infer<typeof BoardOutputSchema>;
