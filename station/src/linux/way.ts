import { execFile } from 'node:child_process';
import { isIPv4 } from 'node:net';
import { promisify } from 'node:util';
import * as z from 'zod';
import type { WayOut } from '../ports';

/** What `ip -j route get` prints (iproute2). */
const RoutesSchema = z.array(z.object({ dev: z.string(), gateway: z.string().optional() }));

/** @throws ZodError on anything else than what the program prints */
export function parseWay(json: string): WayOut | null {
  const [route] = RoutesSchema.parse(JSON.parse(json || '[]'));
  return route ? { interface: route.dev, gateway: route.gateway ?? null } : null;
}

/**
 * By which interface this computer's system would send something to an address; nothing is sent.
 * @returns null where it knows no way, or is not asked such things
 */
export async function linuxWay(address: string): Promise<WayOut | null> {
  if (!isIPv4(address)) return null;
  try {
    const { stdout } = await promisify(execFile)('ip', ['-j', 'route', 'get', address]);
    return parseWay(stdout);
  } catch {
    return null;
  }
}
