import * as z from 'zod';
import { BATCH_LIMIT } from './names';
import { TRAY_LIMIT } from './nests';

/**
 * The plan of a batch. A plan is kept while it is still wrong, so the schemas here bound sizes only; the rules
 * of `rules/` judge the content.
 */

const line = (max: number): z.ZodString => z.string().max(max);

/** One board to prepare. */
export const DeviceSchema = z.object({
  id: z.uuid(),
  nest: line(4),
  mark: line(8),
  hostName: line(255),
  role: line(80),
});
export type Device = z.infer<typeof DeviceSchema>;

export const PlanSchema = z.object({
  name: z.string().trim().min(1, 'Give the batch a name.').max(80),
  site: line(80),
  tray: z.object({
    rows: z.number().int().min(1).max(TRAY_LIMIT.rows),
    columns: z.number().int().min(1).max(TRAY_LIMIT.columns),
  }),
  boardProfileId: line(40),
  imageId: z.uuid().nullable(),
  devices: z.array(DeviceSchema).max(BATCH_LIMIT),
  access: z.object({
    userName: line(64),
    /** Public keys, one a line, as in an authorized_keys file. */
    keys: line(64_000),
    passwordLogin: z.boolean(),
  }),
  wifi: z.object({ ssid: line(255), hidden: z.boolean() }),
  /** ISO 3166-1 alpha-2 code of the place where the boards will run. */
  country: line(8),
  timeZone: line(64),
  locale: line(64),
  /** Where the boards will appear: the subnet in CIDR form and the login service's port. */
  network: z.object({ subnet: line(64), port: z.number().int().min(1).max(65_535) }),
});
export type Plan = z.infer<typeof PlanSchema>;

/** Kinds of secrets that a plan needs; they are kept apart from it and encrypted. */
export const SecretKindSchema = z.enum(['wifiPassphrase', 'userPassword']);
export type SecretKind = z.infer<typeof SecretKindSchema>;

/** What is known of a secret: nothing, that one is kept, or what has just been typed. */
export type SecretView = { kind: 'missing' } | { kind: 'kept' } | { kind: 'typed'; value: string };

/** How an image takes its settings; `none` when no method was recognised. */
export const FirstBootMethodIdSchema = z.enum(['declarative-seed', 'none']);
export type FirstBootMethodId = z.infer<typeof FirstBootMethodIdSchema>;

/** What the plan's checks need to know of an image. */
export interface ImageFacts {
  id: string;
  title: string;
  method: FirstBootMethodId;
  rawSize: number;
}

/** Everything that the rules look at. */
export interface PlanView {
  plan: Plan;
  image: ImageFacts | null;
  secrets: Record<SecretKind, SecretView>;
}

/** A plan with nothing in it yet. */
export const emptyPlan = (name: string): Plan => ({
  name,
  site: '',
  tray: { rows: 3, columns: 4 },
  boardProfileId: 'full-64',
  imageId: null,
  devices: [],
  access: { userName: '', keys: '', passwordLogin: false },
  wifi: { ssid: '', hidden: false },
  country: '',
  timeZone: '',
  locale: 'en_GB.UTF-8',
  network: { subnet: '', port: 22 },
});
