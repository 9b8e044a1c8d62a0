import * as z from 'zod';
import { busReply } from './bus-reply';
import { pointOfElements } from './elements';
import type { HeardPoint } from './model';

/**
 * What wpa_supplicant tells over D-Bus (its interfaces Interface and BSS), as busctl(1) prints it with `--json=short`: the
 * values of an answer, each with its type. Everything of an access point is octets there.
 */

const octets = z.object({ data: z.array(z.number().int().min(0).max(255)).max(4096) });
const BssSchema = z.object({
  data: z.tuple([
    z.object({
      BSSID: octets,
      IEs: octets,
      Frequency: z.object({ data: z.number().int() }),
      Signal: z.object({ data: z.number().min(-200).max(0) }),
      Privacy: z.object({ data: z.boolean() }),
    }),
  ]),
});
const PathSchema = z.object({ data: z.tuple([z.string()]) });
const PathsSchema = z.object({ data: z.tuple([z.object({ data: z.array(z.string()) })]) });

const ROOT = '/fi/w1/wpa_supplicant1/Interfaces';

/** Path of an adapter, from an answer to `GetInterface`; null where it is none. */
export const readInterfacePath = (text: string): string | null => {
  const path = busReply(PathSchema, text)?.data[0] ?? '';
  return new RegExp(`^${ROOT}/\\d+$`).test(path) ? path : null;
};

/** Paths of access points, from the property `BSSs`; nothing of what is none. */
export const readBssPaths = (text: string): string[] =>
  (busReply(PathsSchema, text)?.data[0].data ?? []).filter((path) =>
    new RegExp(`^${ROOT}/\\d+/BSSs/\\d+$`).test(path),
  );

/** An access point from all properties of a BSS; null where it is none. */
export function readBss(text: string): HeardPoint | null {
  const bss = busReply(BssSchema, text)?.data[0];
  return bss
    ? pointOfElements({
        bssid: Uint8Array.from(bss.BSSID.data),
        mhz: bss.Frequency.data,
        signal: bss.Signal.data,
        privacy: bss.Privacy.data,
        elements: Uint8Array.from(bss.IEs.data),
      })
    : null;
}
