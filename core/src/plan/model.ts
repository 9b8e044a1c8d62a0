import type { SystemFacts } from '../system/facts';
import * as z from 'zod';
import { BenchPlanSchema } from './bench-plan';
import { BringUpPlanSchema } from './bring-up-plan';
import { HandOverPlanSchema } from './hand-over-plan';
import { KitPlanSchema } from './kit-plan';
import { PowerPlanSchema } from './power-plan';
import { VpnPlanSchema } from './vpn-plan';
import { nameOf } from '../plain-name';
import type { SecretFault, ShelvedNetwork } from '../wifi/network';
import type { BoardProfile } from '../boards/profiles';
import { ExtrasSchema } from './extras-model';
import { BATCH_LIMIT } from './names';
import type { OwnMethod } from './own-method';
import { TRAY_LIMIT } from './nests';

/**
 * The plan of a batch. A plan is kept while it is still wrong, so the schemas here bound sizes only; the rules
 * of `rules/` judge the content.
 */

/** Text of several lines. */
const text = (max: number): z.ZodString => z.string().max(max);

/** A network that boards shall join; of several on the air the highest priority wins. */
export const JoinSchema = z.object({
  networkId: z.uuid(),
  priority: z.number().int().min(-999).max(999),
});
export type Join = z.infer<typeof JoinSchema>;

/** Public keys, one a line, as in an authorized_keys file. */
const keys = text(64_000);

/** What one device has otherwise than its batch; a field left out is as the batch says. */
export const OverridesSchema = z
  .object({
    boardProfileId: nameOf(40),
    imageId: z.uuid().nullable(),
    userName: nameOf(64),
    keys,
    passwordLogin: z.boolean(),
    networks: z.array(JoinSchema).max(8),
    country: nameOf(8),
    timeZone: nameOf(64),
    locale: nameOf(64),
    /** Fixed address of the wired interface in CIDR form. */
    wiredAddress: nameOf(64),
  })
  .partial();
export type Overrides = z.infer<typeof OverridesSchema>;

/** One board to prepare. */
export const DeviceSchema = z.object({
  id: z.uuid(),
  nest: nameOf(4),
  mark: nameOf(8),
  hostName: nameOf(255),
  role: nameOf(80),
  notes: text(400).default(''),
  overrides: OverridesSchema.default({}),
});
export type Device = z.infer<typeof DeviceSchema>;

export const PlanSchema = z.object({
  name: nameOf(80).trim().min(1, 'Give the batch a name.'),
  site: nameOf(80),
  tray: z.object({
    rows: z.number().int().min(1).max(TRAY_LIMIT.rows),
    columns: z.number().int().min(1).max(TRAY_LIMIT.columns),
  }),
  boardProfileId: nameOf(40),
  imageId: z.uuid().nullable(),
  devices: z.array(DeviceSchema).max(BATCH_LIMIT),
  access: z.object({
    userName: nameOf(64),
    keys,
    passwordLogin: z.boolean(),
    /** One password for all devices, or one made for each. */
    passwordScope: z.enum(['shared', 'each']).default('shared'),
    /** Further users; they log in by key alone. */
    others: z
      .array(z.object({ name: nameOf(64), keys, sudo: z.boolean() }))
      .max(8)
      .default([]),
  }),
  networks: z.array(JoinSchema).max(8).default([]),
  /** ISO 3166-1 alpha-2 code of the place where the boards will run. */
  country: nameOf(8),
  timeZone: nameOf(64),
  locale: nameOf(64),
  /** Where the boards will appear: a subnet in CIDR form, empty for that of their network; the login service's port. */
  network: z.object({ subnet: nameOf(64), port: z.number().int().min(1).max(65_535) }),
  extras: ExtrasSchema.prefault({}),
  power: PowerPlanSchema.prefault({}),
  kit: KitPlanSchema.prefault({}),
  bench: BenchPlanSchema.prefault({}),
  bringUp: BringUpPlanSchema.prefault({}),
  handOver: HandOverPlanSchema.prefault({}),
  vpn: VpnPlanSchema.prefault({}),
});
export type Plan = z.infer<typeof PlanSchema>;

/** Secrets that a plan itself needs; they are kept apart from it and encrypted. Networks keep their own keys. */
export const SecretKindSchema = z.enum(['userPassword']);
export type SecretKind = z.infer<typeof SecretKindSchema>;

/** What is wrong with a kept password, without telling it. */
export const PasswordFaultSchema = z.enum(['short', 'default']);
export type PasswordFault = z.infer<typeof PasswordFaultSchema>;

/** What is known of a secret: nothing, that one is kept and how it was judged, or what has just been typed. */
export type SecretView<Fault> =
  | { kind: 'missing' }
  | { kind: 'kept'; faults: readonly Fault[] }
  | { kind: 'typed'; value: string };

/** How an image takes its settings; `none` when nothing on the card can tell it, `own:` as a person described it. */
export const FirstBootMethodIdSchema = z.union([
  z.enum(['declarative-seed', 'network-template', 'marker-files', 'run-once', 'none']),
  z.templateLiteral(['own:', z.uuid()]),
]);
export type FirstBootMethodId = z.infer<typeof FirstBootMethodIdSchema>;

/** The id by which an image and a round name an own method. */
export const ownMethodId = (id: string): FirstBootMethodId => `own:${id}`;
/** The id of an own method's description; null for a method of the program. */
export const ownIdOf = (method: FirstBootMethodId): string | null =>
  method.startsWith('own:') ? method.slice('own:'.length) : null;

/** What a person knows of an image and its octets do not tell for sure. */
export const ImageAboutSchema = z.object({
  wordBits: z.union([z.literal(32), z.literal(64)]).nullable(),
  flavour: z.enum(['minimal', 'desktop', 'application']).nullable(),
  /** The first-boot method when a person knows better than what was detected. */
  chosenMethod: FirstBootMethodIdSchema.nullable().default(null),
  /** Number of the partition that first-boot files go onto, when a person knows better than what was found. */
  bootPartition: z.number().int().min(1).max(1024).nullable().default(null),
});
export type ImageAbout = z.infer<typeof ImageAboutSchema>;

/** What the plan's checks need to know of an image. */
export interface ImageFacts extends Omit<ImageAbout, 'bootPartition'> {
  id: string;
  title: string;
  /** The one that is used: chosen by a person, or detected. */
  method: FirstBootMethodId;
  /** The method's description, where it is an own one. */
  own: OwnMethod | null;
  /** File of its boot partition that holds the boot configuration, null when there is none. */
  bootConfig: string | null;
  /** What its system can do; null for an image of an earlier version that was not looked at again. */
  system: SystemFacts | null;
  /** Octets of the unpacked image. */
  rawSize: number;
}

/** A network as the rules see it: its key may have just been typed. */
export interface NetworkFacts extends Omit<ShelvedNetwork, 'secret' | 'version'> {
  secret: SecretView<SecretFault>;
}

/** What lies around the batch. */
export const SurroundingsSchema = z.object({
  /** Host names of other batches' devices that were seen on a network. */
  names: z.array(z.object({ hostName: z.string(), batchName: z.string() })),
  /** The workstation's own addresses. */
  workstation: z.array(z.object({ address: z.string(), prefix: z.number() })),
});
export type Surroundings = z.infer<typeof SurroundingsSchema>;

/** Everything that the rules look at. */
export interface PlanView {
  plan: Plan;
  images: readonly ImageFacts[];
  networks: readonly NetworkFacts[];
  boards: readonly BoardProfile[];
  password: SecretView<PasswordFault>;
  surroundings: Surroundings;
}

const blank = PlanSchema.parse({
  name: 'New batch',
  site: '',
  tray: { rows: 3, columns: 4 },
  boardProfileId: 'full-64',
  imageId: null,
  devices: [],
  access: { userName: '', keys: '', passwordLogin: false },
  country: '',
  timeZone: '',
  locale: 'en_GB.UTF-8',
  network: { subnet: '', port: 22 },
  // Plans of earlier versions are left as they are: no key may come onto their cards unasked.
  bringUp: { wanted: true, benchKey: true },
});

/** A plan with nothing in it yet. */
export const emptyPlan = (name: string): Plan => ({ ...blank, name });
