import * as z from 'zod';
import { fileSystems } from '../disk/inspect';
import { ImageClueSchema } from '../images/clues';
import { SystemFactsSchema } from '../system/facts';
import { nameOf } from '../plain-name';
import { FirstBootMethodIdSchema, ImageAboutSchema } from '../plan/model';
import { OwnMethodSchema } from '../plan/own-method';

/** Messages about the shelf of images. An image that is sent from the browser comes in pieces; after a break it goes on where it stopped. */

const time = z.number();

export const ImagePartitionSchema = z.object({
  number: z.number(),
  type: z.number(),
  bootable: z.boolean(),
  offset: z.number(),
  size: z.number(),
  fileSystem: z.enum(fileSystems),
  label: z.string(),
});

export const ImageSchema = z.object({
  id: z.uuid(),
  title: z.string(),
  state: z.enum(['checking', 'ready', 'failed']),
  /** Stations on whose disks it is, and which can write it. */
  stations: z.array(z.string()),
  message: z.string(),
  addedAt: time,
  packing: z.enum(['raw', 'xz', 'gzip', 'zstd', 'zip']).nullable(),
  packedSize: z.number().nullable(),
  packedSha256: z.string().nullable(),
  rawSize: z.number().nullable(),
  rawSha256: z.string().nullable(),
  partitions: z.array(ImagePartitionSchema),
  /** The one that is used: chosen by a person, or detected. */
  method: FirstBootMethodIdSchema,
  /** Its description, where it is an own one. */
  own: OwnMethodSchema.nullable(),
  detected: FirstBootMethodIdSchema,
  /** Why it was detected. */
  methodReason: z.string(),
  /** The partition that first-boot files go onto, by its number, and why; null where the root stands for one. */
  boot: z.object({ partition: z.number(), reason: z.string() }).nullable(),
  about: ImageAboutSchema,
  /** Octets that the shelf's own copy takes on the disk. */
  keptSize: z.number().nullable(),
  /** Where it came from in the web; null for a file of this machine or of a browser. */
  address: z.string().nullable(),
  /** How far it has come from there: octets, of how many where that is known, and octets a second. */
  fetched: z.object({ received: z.number(), total: z.number().nullable(), rate: z.number() }).nullable(),
  /** Octets unpacked so far, while it is being read. */
  unpacked: z.number().nullable(),
  /** What lies in the root of its boot partition. */
  bootFiles: z.array(z.object({ name: z.string(), size: z.number(), folder: z.boolean() })),
  /** What its octets tell of it: word width, system, age, each with the reason. */
  seen: z.array(ImageClueSchema),
  /** What its system can do; null while nobody has looked. */
  system: SystemFactsSchema.nullable(),
});
export type Image = z.infer<typeof ImageSchema>;

export const AddImageSchema = z.object({
  /** On this machine, or an address that begins with http:// or https://. */
  path: z.string().trim().min(1, 'Give the path of the image file, or its address.').max(4096),
  title: nameOf(120).trim(),
  /** Digits, a line or a whole list as published; empty where there is none. */
  sha256: z.string().max(200_000),
});

/** Whether the file at an image's address is still the one that was taken. */
export const NewerImageSchema = z.object({ newer: z.enum(['same', 'newer', 'unknown']) });
export type NewerImage = z.infer<typeof NewerImageSchema>;

export const SaveImageAboutSchema = z.object({
  title: nameOf(120).trim().min(1),
  about: ImageAboutSchema,
});

/**
 * What a file is sent with, as `Upload-Length` and `Upload-Metadata` carry it (tus resumable upload protocol 1.0.0,
 * "Creation"). Only the name and the size are needed.
 */
export const BeginUploadSchema = z.object({
  filename: z
    .string('A file is sent with its name, as "filename".')
    .min(1)
    .max(255)
    .regex(/^[^/\\\p{Cc}\p{Zl}\p{Zp}]+$/u, 'A file name has no slashes and no control characters.'),
  /** Octets of the whole file. */
  size: z.coerce
    .number()
    .int()
    .min(1, 'The file is empty. Choose another one.')
    .max(2 ** 42),
  /**
   * When the file was changed last, milliseconds since 1970: tells it from another of its name and size. 0 where that is
   * not known: then it is taken for no other.
   */
  modified: z.coerce
    .number()
    .int()
    .min(0)
    .max(2 ** 53 - 1)
    .default(0),
  title: nameOf(120).trim().default(''),
  /** Digits, a line or a list as published; empty where there is none. A header holds no long one. */
  sha256: z.string().max(8000).default(''),
});
export type BeginUpload = z.infer<typeof BeginUploadSchema>;

export const UploadSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  size: z.number(),
  /** Octets that have arrived: what is sent next begins here. */
  received: z.number(),
});
export type Upload = z.infer<typeof UploadSchema>;

/** Octets that the page sends with one request, at most. What has arrived of them stays when the line breaks. */
export const UPLOAD_PIECE = 8 << 20;
