import * as z from 'zod';

/** The first-boot files of one device as they will be written. */
export const CardFilesSchema = z.object({
  method: z.string(),
  /** Why this method. */
  reason: z.string(),
  image: z.string(),
  /** Steps by hand, where nothing on the card tells the board its settings. */
  byHand: z.array(
    z.object({
      way: z.string(),
      steps: z.array(z.object({ text: z.string(), commands: z.array(z.string()) })),
    }),
  ),
  files: z.array(
    z.object({
      path: z.string(),
      size: z.number(),
      encoding: z.enum(['UTF-8', 'octets']),
      lineEnds: z.enum(['LF', 'CRLF', 'none']),
      lines: z.array(z.object({ text: z.string(), own: z.boolean() })),
    }),
  ),
});
export type CardFiles = z.infer<typeof CardFilesSchema>;

/** Secrets are masked unless they are asked for, which is logged. */
export const ShowCardFilesSchema = z.object({ reveal: z.boolean() });
