import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import * as z from 'zod';
import type { NeighbourTable } from '../ports';

/** What `ip -j neigh` prints (iproute2); entries without a hardware address are incomplete. */
const EntriesSchema = z.array(z.object({ dst: z.string(), lladdr: z.string().optional() }));

/** Hardware addresses by network address from `ip -j neigh` output. @throws ZodError on anything else */
export function parseNeighbours(json: string): Map<string, string> {
  const entries = EntriesSchema.parse(JSON.parse(json || '[]'));
  return new Map(
    entries.flatMap(({ dst, lladdr }) => (lladdr ? [[dst, lladdr.toLowerCase()] as const] : [])),
  );
}

/** The kernel's own table of neighbours. */
export const linuxNeighbours: NeighbourTable = {
  async read() {
    const { stdout } = await promisify(execFile)('ip', ['-j', 'neigh']);
    return parseNeighbours(stdout);
  },
};
