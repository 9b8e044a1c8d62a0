import * as z from 'zod';
import { LabelledSchema } from '../handover/labels/label';
import { PageSchema } from '../handover/labels/drawing';
import { LabelSizeSchema } from '../handover/labels/sheet';
import { BATCH_LIMIT } from '../plan/names';

/** Messages about handing devices over. Times are milliseconds since 1970. */

/** One device's card as a file: the whole medium, plain or packed, or only its first-boot files in a zip archive. */
export const ExportCardSchema = z.object({ form: z.enum(['img', 'img.xz', 'img.zst', 'files']) });
export type ExportForm = z.infer<typeof ExportCardSchema>['form'];

export const ExportedCardSchema = z.object({ token: z.uuid(), fileName: z.string() });

/** A size of labels that somebody measured. */
export const SavedLabelSizeSchema = z.object({ id: z.uuid(), size: LabelSizeSchema });
export type SavedLabelSize = z.infer<typeof SavedLabelSizeSchema>;

/** Which labels are wanted. */
export const LabelsWantedSchema = z.object({
  size: LabelSizeSchema,
  /** Number of the first label of the first page that is still there. */
  firstFree: z.number().int().min(1).max(5000),
  what: z.array(LabelledSchema).min(1).max(3),
  /** What the code opens: nothing but the mark, or the device's passport in this application. */
  code: z.enum(['mark', 'passport', 'none']),
  /** Where this application is reached, for codes that open a passport. */
  origin: z
    .url({ protocol: /^https?$/ })
    .max(200)
    .nullable(),
  /** Null for all. */
  deviceIds: z.array(z.uuid()).max(BATCH_LIMIT).nullable(),
});
export type LabelsWanted = z.infer<typeof LabelsWantedSchema>;

/** Pages as they will be printed. */
export const PaperSchema = z.object({
  pages: z.array(PageSchema),
  /** What a person should know before printing, in sentences. */
  remarks: z.array(z.string()),
});
export type Paper = z.infer<typeof PaperSchema>;

/** How the lines of known_hosts are wanted in a file of this computer. */
export const KnownHostsPlaceSchema = z.object({
  /** Of the file, as the server's account reads it; a leading `~/` is its home folder. */
  path: z
    .string()
    .trim()
    .min(1, 'Say which file.')
    .max(4096)
    .regex(/^[^\0\r\n]+$/, 'A path has no line ends.'),
  hashed: z.boolean(),
});
export type KnownHostsPlace = z.infer<typeof KnownHostsPlaceSchema>;

const MergedLineSchema = z.object({ line: z.number().nullable(), text: z.string(), mark: z.string() });

/** What merging would change. */
export const KnownHostsChangeSchema = z.object({
  /** Where the file really lies. */
  path: z.string(),
  /** Digest of the file as it was looked at; null where there is none yet. */
  digest: z.string().nullable(),
  added: z.array(MergedLineSchema),
  removed: z.array(MergedLineSchema),
  kept: z.number(),
  remarks: z.array(z.string()),
});
export type KnownHostsChange = z.infer<typeof KnownHostsChangeSchema>;

/** Merging what was looked at, and nothing else. */
export const MergeKnownHostsSchema = KnownHostsPlaceSchema.extend({ digest: z.string().max(100).nullable() });

export const MergedKnownHostsSchema = z.object({
  path: z.string(),
  /** Where the file as it was lies now; null where there was none, or nothing had to be changed. */
  backup: z.string().nullable(),
  added: z.number(),
  removed: z.number(),
});

/** How credentials leave: on slips of paper, as a table for a password manager, or sealed. */
export const CredentialsWantedSchema = z.discriminatedUnion('form', [
  z.object({ form: z.literal('slips'), deviceIds: z.array(z.uuid()).max(BATCH_LIMIT).nullable() }),
  z.object({ form: z.literal('table'), deviceIds: z.array(z.uuid()).max(BATCH_LIMIT).nullable() }),
  z.object({
    form: z.literal('sealed'),
    deviceIds: z.array(z.uuid()).max(BATCH_LIMIT).nullable(),
    /** Public keys, one a line: of age, or of SSH. */
    recipients: z.string().max(64_000),
    passphrase: z.string().max(255),
  }),
]);
export type CredentialsWanted = z.infer<typeof CredentialsWantedSchema>;

/** Whose the devices are now. */
export const TakenOverSchema = z.object({
  deviceIds: z.array(z.uuid()).min(1, 'Choose devices.').max(BATCH_LIMIT),
  by: z.string().trim().min(1, 'Say who took them over.').max(120),
  /** Whether the bench forgets what lets it in and proves them: private halves of host keys, and passwords. */
  forget: z.boolean(),
});
export type TakenOver = z.infer<typeof TakenOverSchema>;

/** How handing over stands. */
export const HandOverViewSchema = z.object({
  devices: z.array(
    z.object({
      deviceId: z.uuid(),
      takenOver: z.object({ by: z.string(), at: z.number() }).nullable(),
      secretsForgottenAt: z.number().nullable(),
      /** Whether there is a password of this device, or of the batch, that somebody must be given. */
      hasPassword: z.boolean(),
    }),
  ),
  labelSizes: z.array(SavedLabelSizeSchema),
});
export type HandOverView = z.infer<typeof HandOverViewSchema>;

/** The key by which an installation signs its records. */
export const InstallationKeySchema = z.object({ publicLine: z.string(), fingerprint: z.string() });

/** Where the devices of a batch are in its tunnel. */
export const VpnViewSchema = z.object({
  /** Why its files cannot be made; empty when they can. */
  lacks: z.string(),
  hub: z.object({ address: z.string(), publicKey: z.string() }).nullable(),
  boards: z.array(
    z.object({
      deviceId: z.uuid(),
      address: z.string(),
      publicKey: z.string(),
      /** Whether the bench has the private half of its key, so that it can make its file. */
      kept: z.boolean(),
    }),
  ),
});
export type VpnView = z.infer<typeof VpnViewSchema>;

/** Whose file is wanted: the hub's where no device is named. */
export const VpnFileWantedSchema = z.object({ deviceId: z.uuid().nullable() });
export type VpnFileWanted = z.infer<typeof VpnFileWantedSchema>;
