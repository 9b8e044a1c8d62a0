import { randomBytes } from 'node:crypto';
import { networkInterfaces } from 'node:os';
import { addressNumber, inSubnet } from '@nest-mark/core';
import { runProgram } from './programs';

/** Prints what it would be given, and sets nothing. */
const TAKES_NOTHING =
  'case "$1" in bound) echo "address=$ip"; echo "mask=$mask"; echo "router=$router $serverid" ;; esac';

/** What an address server offers. */
export interface Lease {
  address: string;
  /** In CIDR form; empty where it did not say. */
  subnet: string;
  /** Who is there for certain: the router, and the server itself. */
  hosts: readonly string[];
}

const isAddress = (text: string): boolean => /^\d{1,3}(\.\d{1,3}){3}$/.test(text);

/** Reads what the script of `offered` printed; null where no address is in it. */
export function readLease(text: string): Lease | null {
  const of = (key: string): string => new RegExp(`^${key}=(.*)$`, 'm').exec(text)?.[1]?.trim() ?? '';
  const address = of('address');
  if (!isAddress(address)) return null;
  const mask = of('mask');
  // busybox tells the mask as a number of bits, or in four parts.
  const bits = isAddress(mask) ? Math.clz32(~addressNumber(mask)) : Number(mask === '' ? 'none' : mask);
  const told = Number.isInteger(bits) && bits >= 8 && bits <= 30;
  return {
    address,
    subnet: told ? `${address}/${String(bits)}` : '',
    hosts: [...new Set(of('router').split(/\s+/))].filter(isAddress).slice(0, 4),
  };
}

/** @returns what would be given; `none` where nothing is; null where nobody can ask for one here */
export async function offered(
  adapter: string,
  folder: string,
  signal: AbortSignal,
): Promise<Lease | 'none' | null> {
  const script = `${folder}/${randomBytes(4).toString('hex')}`;
  const { code } = await runProgram('sh', [
    '-c',
    'umask 077; printf "#!/bin/sh\\n%s\\n" "$2" >"$1" && chmod 700 "$1"',
    'sh',
    script,
    TAKES_NOTHING,
  ]);
  if (code !== 0) return null;
  const args = ['udhcpc', '-i', adapter, '-f', '-q', '-n', '-t', '4', '-T', '3', '-s', script];
  const { code: asked, out } = await runProgram('busybox', args, { seconds: 30, signal });
  return asked === null ? null : (readLease(out) ?? 'none');
}

/**
 * Whether somebody answers for an address, asked without an address of one's own (RFC 5227 section 2.1.1, ARP probe;
 * busybox, arping -D: it ends with 1 where somebody answers).
 */
async function answers(adapter: string, address: string, signal: AbortSignal): Promise<boolean> {
  const args = ['arping', '-D', '-q', '-c', '4', '-w', '4', '-I', adapter, address];
  return (await runProgram('busybox', args, { seconds: 15, signal })).code === 1;
}

/** Addresses of this computer on a network, by their adapters, leaving one adapter out. */
const ownOn = (subnet: string, without: string): { by: string; address: string }[] =>
  Object.entries(networkInterfaces()).flatMap(([by, all]) =>
    (all ?? [])
      .filter(({ family, internal, address }) => family === 'IPv4' && !internal && inSubnet(address, subnet))
      .map(({ address }) => ({ by, address }))
      .filter(() => by !== without),
  );

/**
 * Whether clients of a network see each other, where that can be seen: this computer is on it by another adapter too,
 * and its address server or router answers, so that silence means something.
 * @returns null where it cannot be seen
 */
export async function seesClients(
  adapter: string,
  { subnet, hosts }: Lease,
  signal: AbortSignal,
): Promise<{ sees: boolean; by: string } | null> {
  const [own] = subnet === '' ? [] : ownOn(subnet, adapter);
  if (!own) return null;
  if (await answers(adapter, own.address, signal)) return { sees: true, by: own.by };
  for (const host of hosts.filter((one) => one !== own.address))
    if (await answers(adapter, host, signal)) return { sees: false, by: own.by };
  return null;
}
