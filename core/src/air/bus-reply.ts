import type * as z from 'zod';

/** An answer of a service on the bus, as busctl(1) prints it with `--json=short`; null where it is not what is expected. */
export function busReply<T>(schema: z.ZodType<T>, text: string): T | null {
  try {
    return schema.safeParse(JSON.parse(text)).data ?? null;
  } catch {
    return null;
  }
}
