import * as z from 'zod';
import { nameOf } from '../plain-name';
import { ImageSchema } from './work';

/** An image that is sent from the browser in pieces; after a break it goes on where it stopped. */

export const BeginUploadSchema = z.object({
  name: z
    .string()
    .min(1)
    .max(255)
    .regex(/^[^/\\\p{Cc}\p{Zl}\p{Zp}]+$/u, 'A file name has no slashes and no control characters.'),
  /** Octets of the whole file. */
  size: z
    .number()
    .int()
    .min(1, 'The file is empty. Choose another one.')
    .max(2 ** 42),
  /** When the file was changed last, milliseconds since 1970: tells it from another of its name. */
  modified: z.number().int(),
  title: nameOf(120).trim(),
  /** Digits, a line or a whole list as published; empty where there is none. */
  sha256: z.string().max(200_000),
});
export type BeginUpload = z.infer<typeof BeginUploadSchema>;

export const UploadSchema = z.object({
  id: z.uuid(),
  name: z.string(),
  size: z.number(),
  /** Octets that have arrived: the next piece begins here. */
  received: z.number(),
  /** The image that came of it, once everything has arrived. */
  image: ImageSchema.nullable(),
});
export type Upload = z.infer<typeof UploadSchema>;

/** Octets of a piece, at most. */
export const UPLOAD_PIECE = 8 << 20;
