import * as z from 'zod';

/** One device's card as a file: the whole medium, plain or packed, or only its first-boot files in a zip archive. */
export const ExportCardSchema = z.object({ form: z.enum(['img', 'img.xz', 'img.zst', 'files']) });
export type ExportForm = z.infer<typeof ExportCardSchema>['form'];

export const ExportedCardSchema = z.object({ token: z.uuid(), fileName: z.string() });
