import { parse } from 'yaml';
import * as z from 'zod';
import { utf8 } from '../../bytes';
import { textsOf, type BootFiles } from '../boot-files';
import { adopted, nothing, passwordLeft, type Adopted } from '../take-over/adopted';

const text = z.string().optional().catch(undefined);
const SeedUserSchema = z.object({
  name: z.string(),
  ssh_authorized_keys: z.array(z.string()).catch([]).default([]),
  sudo: z.unknown(),
  hashed_passwd: text,
  passwd: text,
});
const SeedSchema = z.object({
  hostname: text,
  timezone: text,
  locale: text,
  ssh_pwauth: z.boolean().catch(false).default(false),
  keyboard: z
    .object({ layout: z.string(), variant: z.string().default('') })
    .optional()
    .catch(undefined),
  users: z.array(z.unknown()).catch([]).default([]),
  runcmd: z.array(z.unknown()).catch([]).default([]),
});
const PointSchema = z
  .object({
    password: text,
    hidden: z.boolean().catch(false).default(false),
    auth: z.object({ 'key-management': text, password: text }).optional(),
    networkmanager: z.object({ passthrough: z.record(z.string(), z.coerce.string()).default({}) }).optional(),
  })
  .nullable()
  .catch(null);
const SeedNetworkSchema = z.object({
  wifis: z
    .record(
      z.string(),
      z.object({ 'regulatory-domain': text, 'access-points': z.record(z.string(), PointSchema).catch({}) }),
    )
    .catch({})
    .default({}),
});

const yamlOf = (content: string | null): unknown => {
  try {
    return content === null ? {} : ((parse(content, { version: '1.1' }) as unknown) ?? {});
  } catch {
    return {};
  }
};

/** What a plan takes over from a seed. */
export function takeSeedOver(boot: BootFiles): Adopted {
  const files = textsOf(boot);
  const found = nothing();
  const seed = SeedSchema.safeParse(yamlOf(files.get('user-data') ?? null)).data;
  const meta = z.object({ 'local-hostname': text }).safeParse(yamlOf(files.get('meta-data') ?? null)).data;
  found.hostName = seed?.hostname ?? meta?.['local-hostname'] ?? null;
  found.timeZone = seed?.timezone ?? null;
  found.locale = seed?.locale ?? null;
  found.passwordLogin = seed?.ssh_pwauth ?? false;
  found.keyboard = seed?.keyboard ? `${seed.keyboard.layout} ${seed.keyboard.variant}`.trim() : null;
  found.commands = (seed?.runcmd ?? []).flatMap((command) => (typeof command === 'string' ? [command] : []));
  for (const entry of seed?.users ?? []) {
    const user = SeedUserSchema.safeParse(entry).data;
    if (!user) continue;
    found.users.push({ name: user.name, keys: user.ssh_authorized_keys, sudo: Boolean(user.sudo) });
    if (user.hashed_passwd ?? user.passwd) found.left.push(passwordLeft(user.name));
  }
  const config = yamlOf(files.get('network-config') ?? null) as { network?: unknown };
  const { wifis = {} } = SeedNetworkSchema.safeParse(config.network ?? config).data ?? {};
  for (const wifi of Object.values(wifis)) {
    found.country ??= wifi['regulatory-domain'] ?? null;
    for (const [ssid, point] of Object.entries(wifi['access-points'])) {
      const secret = point?.auth?.password ?? point?.password ?? '';
      const security =
        secret === '' ? 'open' : point?.auth?.['key-management'] === 'sae' ? 'wpa3-sae' : 'wpa2-psk';
      found.networks.push(
        adopted(utf8(ssid), security, secret, {
          hidden: point?.hidden ?? false,
          priority: Number(point?.networkmanager?.passthrough['connection.autoconnect-priority'] ?? 0),
          country: found.country,
        }),
      );
    }
  }
  return found;
}
