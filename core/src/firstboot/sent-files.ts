import * as z from 'zod';
import { fromBase64, toBase64 } from '../bytes';
import type { BootFiles } from './boot-files';

/** First-boot files as they go between browser and server; contents in base64. */
export const SentBootFilesSchema = z.object({
  names: z.array(z.string().max(255)).max(4000),
  files: z.array(z.object({ name: z.string().max(400), content: z.base64().max(800_000) })).max(400),
  label: z.string().max(16),
  bootedAs: z.string().max(256).nullable(),
  bootedWith: z.enum(['these', 'others']).nullable(),
  mountedAt: z.string().max(64).nullable(),
  elsewhere: z.array(z.string().max(400)).max(64),
});
export type SentBootFiles = z.infer<typeof SentBootFilesSchema>;

/** First-boot files as they are sent. */
export const packBootFiles = ({ files, ...rest }: BootFiles): SentBootFiles => ({
  ...rest,
  files: files.map(({ name, content }) => ({ name, content: toBase64(content) })),
});

/** First-boot files as they came. */
export const unpackBootFiles = ({ files, ...rest }: SentBootFiles): BootFiles => ({
  ...rest,
  files: files.map(({ name, content }) => ({ name, content: fromBase64(content) ?? new Uint8Array() })),
});
