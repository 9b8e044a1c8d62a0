import { randomBytes } from 'node:crypto';
import * as z from 'zod';
import {
  batchCsv,
  bookmarks,
  CsvColumnSchema,
  dnsmasqHosts,
  hostsFile,
  inventoryIni,
  inventoryYaml,
  iscHosts,
  isJumpHost,
  keaReservations,
  knownHosts,
  monitoringTargets,
  sshConfig,
  usualColumns,
  zoneLines,
  type HandoverDevice,
} from '@nest-mark/core';

/** What a file may be asked for beside its name. */
export const FileQuerySchema = z.object({
  /** Where the client will find the host keys. */
  knownHosts: z
    .string()
    .min(1)
    .max(4096)
    .regex(/^[^\r\n"]+$/)
    .optional(),
  hashed: z.enum(['yes', 'no']).default('no'),
  jump: z
    .string()
    .max(300)
    .refine((text) => text === '' || isJumpHost(text), {
      error: 'The computer in between is written as user@host:port, without blanks.',
    })
    .default(''),
  /** Columns of the table, with commas between them. */
  columns: z
    .string()
    .max(400)
    .transform((text) => text.split(','))
    .pipe(z.array(CsvColumnSchema).min(1))
    .optional(),
  port: z.coerce.number().int().min(1).max(65_535).default(9100),
});
type FileQuery = z.infer<typeof FileQuerySchema>;

export interface ToolFile {
  type: string;
  name(slug: string): string;
  text(devices: readonly HandoverDevice[], query: FileQuery, slug: string): string;
}

const plain = 'text/plain';

/** Files for other tools. */
export const toolFiles = {
  known_hosts: {
    type: plain,
    name: (slug) => `known_hosts.${slug}`,
    text: (devices, { hashed }) =>
      knownHosts(devices, { salt: hashed === 'yes' ? () => randomBytes(20) : null }),
  },
  ssh_config: {
    type: plain,
    name: (slug) => `ssh_config.${slug}`,
    text: (devices, query, slug) =>
      sshConfig(devices, {
        knownHostsFile: query.knownHosts ?? `~/.ssh/known_hosts.${slug}`,
        jump: query.jump,
      }),
  },
  'bookmarks.xbel': {
    type: 'application/xml',
    name: (slug) => `${slug}.xbel`,
    text: (devices, _query, slug) => bookmarks(devices, slug),
  },
  'batch.csv': {
    type: 'text/csv',
    name: (slug) => `${slug}.csv`,
    text: (devices, { columns }) => batchCsv(devices, columns ?? usualColumns),
  },
  'inventory.yml': { type: plain, name: (slug) => `${slug}.inventory.yml`, text: inventoryYaml },
  'inventory.ini': { type: plain, name: (slug) => `${slug}.inventory.ini`, text: inventoryIni },
  hosts: { type: plain, name: (slug) => `hosts.${slug}`, text: hostsFile },
  zone: { type: plain, name: (slug) => `${slug}.zone`, text: zoneLines },
  'dnsmasq.conf': { type: plain, name: (slug) => `${slug}.dnsmasq.conf`, text: dnsmasqHosts },
  'dhcpd.conf': { type: plain, name: (slug) => `${slug}.dhcpd.conf`, text: iscHosts },
  'kea.json': { type: plain, name: (slug) => `${slug}.kea.json`, text: keaReservations },
  'targets.json': {
    type: 'application/json',
    name: (slug) => `${slug}.targets.json`,
    text: (devices, { port }) => monitoringTargets(devices, port),
  },
} as const satisfies Record<string, ToolFile>;
