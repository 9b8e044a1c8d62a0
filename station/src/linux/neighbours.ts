import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import * as z from 'zod';
import type { NeighbourTable } from '../ports';

/** What `ip -j neigh` prints (iproute2); entries without a hardware address are incomplete. */
const EntriesSchema = z.array(
  z.object({ dst: z.string(), dev: z.string().optional(), lladdr: z.string().optional() }),
);

/** A link-local address means nothing without its interface (RFC 4007 section 11). */
const zoned = (address: string, dev: string | undefined): string =>
  dev !== undefined && /^fe[89ab][0-9a-f]:/i.test(address) ? `${address}%${dev}` : address;

/** Hardware addresses by network address from `ip -j neigh` output. @throws ZodError on anything else */
export function parseNeighbours(json: string): Map<string, string> {
  const entries = EntriesSchema.parse(JSON.parse(json || '[]'));
  return new Map(
    entries.flatMap(({ dst, dev, lladdr }) =>
      lladdr ? [[zoned(dst, dev), lladdr.toLowerCase()] as const] : [],
    ),
  );
}

/** The kernel's own table of neighbours. */
export const linuxNeighbours: NeighbourTable = {
  async read() {
    const { stdout } = await promisify(execFile)('ip', ['-j', 'neigh']);
    return parseNeighbours(stdout);
  },
};
