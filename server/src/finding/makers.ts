import { isMadeUp, makerOf, type Makers } from '@nest-mark/core/find';
import * as z from 'zod';

let makers: Makers = new Map();
let reading: Promise<void> | null = null;

/** Reads the registry of the package oui-data, which has the lists of the IEEE; of an entry its first line is the name. */
async function read(): Promise<void> {
  const { default: list } = await import('oui-data', { with: { type: 'json' } });
  const entries = z.record(z.string(), z.string()).parse(list);
  makers = new Map(
    Object.entries(entries).map(([prefix, entry]) => [prefix, (entry.split('\n')[0] ?? '').slice(0, 80)]),
  );
}

/** The registry as a whole; read when it is wanted first, since it takes 30 MB and a practice bench needs none of it. */
export async function allMakers(): Promise<Makers> {
  // Without it nothing is lost but a hint.
  reading ??= read().catch(() => undefined);
  await reading;
  return makers;
}

/** Who made the interface of a host, in words; empty where nobody knows, or the registry is not read yet. */
export function makerNow(hardwareAddress: string): string {
  if (!isMadeUp(hardwareAddress)) void allMakers();
  return makerOf(hardwareAddress, makers);
}
