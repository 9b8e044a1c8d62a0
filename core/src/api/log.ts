import * as z from 'zod';

const time = z.number();

export const LogEntrySchema = z.object({
  id: z.string(),
  at: time,
  kind: z.string(),
  batchId: z.string().nullable(),
  deviceId: z.string().nullable(),
  cardSerial: z.string().nullable(),
  text: z.string(),
});
export type LogEntry = z.infer<typeof LogEntrySchema>;
