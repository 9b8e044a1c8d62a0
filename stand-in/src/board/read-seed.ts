import { boolYaml11Tag, intYaml11Tag, loadAll, NOT_RESOLVED, YAML11_SCHEMA, YAMLException } from 'js-yaml';
import * as z from 'zod';
import { blank, readText, type BoardSettings, type Call, type CardFiles } from './settings';

const UserSchema = z.object({
  name: z.string(),
  ssh_authorized_keys: z.array(z.string()).default([]),
  lock_passwd: z.boolean().default(true),
  passwd: z.string().optional(),
  hashed_passwd: z.string().optional(),
  sudo: z.union([z.string(), z.array(z.string())]).nullish(),
});
const UserDataSchema = z.object({
  hostname: z.string().optional(),
  timezone: z.string().default(''),
  locale: z.string().default(''),
  keyboard: z.object({ layout: z.string(), variant: z.string().default('') }).optional(),
  ssh_pwauth: z.boolean().default(false),
  users: z.array(z.union([z.string(), UserSchema])).default([]),
  // Names that are not known are skipped with a warning (cloud-init, module ssh).
  ssh_keys: z.object({ ed25519_private: z.string().optional() }).optional(),
  // Tries are counted from one; without their number it makes ten (cloud-init, module "phone_home").
  phone_home: z
    .object({ url: z.string(), post: z.union([z.literal('all'), z.array(z.string())]).default('all') })
    .optional(),
  // A file without content is made empty (cloud-init's schema).
  write_files: z
    .array(
      z.object({
        path: z.string(),
        content: z.string().default(''),
        permissions: z.string().default('0644'),
      }),
    )
    .default([]),
});
/** Empty is fine, missing is not; seen on a real system. */
const MetaDataSchema = z
  .object({ 'instance-id': z.coerce.string().optional(), 'local-hostname': z.string().optional() })
  .nullish()
  .transform((value) => value ?? {});
// netplan refuses the whole file for a setting that it does not know, and for a network with nothing behind its name.
const rest = (names: string): Record<string, z.ZodType> =>
  Object.fromEntries(names.split(' ').map((name) => [name, z.unknown().optional()]));
const AccessPointSchema = z.strictObject({
  ...rest('mode band bssid channel'),
  password: z.string().optional(),
  hidden: z.boolean().optional(),
  auth: z
    .strictObject({
      ...rest('identity method'),
      'key-management': z.enum(['none', 'psk', 'sae']).optional(),
      password: z.string().optional(),
    })
    .optional(),
  networkmanager: z
    .strictObject({
      ...rest('name uuid'),
      passthrough: z.record(z.string(), z.coerce.string()).default({}),
    })
    .optional(),
});
const onAnyDevice = rest(
  'renderer dhcp4 dhcp6 optional addresses gateway4 gateway6 nameservers routes match macaddress mtu',
);
const WifiSchema = z.strictObject({
  ...onAnyDevice,
  'regulatory-domain': z.string().optional(),
  'access-points': z.record(z.string(), AccessPointSchema),
});
const NetworkSchema = z.strictObject({
  renderer: z.unknown().optional(),
  version: z.literal(2),
  ethernets: z.record(z.string(), z.strictObject(onAnyDevice)).optional(),
  wifis: z.record(z.string(), WifiSchema).default({}),
});
const NetworkConfigSchema = z.union([
  z.object({ network: NetworkSchema }).transform((wrapped) => wrapped.network),
  NetworkSchema,
]);

/**
 * YAML 1.1 as PyYAML has it, the boards' own reader (its source, resolver.py): a lone y or n is a text, and so is what
 * begins with a zero and has colons, as hardware addresses do.
 */
const seedSchema = YAML11_SCHEMA.withTags(
  {
    ...boolYaml11Tag,
    resolve: (source, ...more) =>
      /^[yn]$/i.test(source) ? NOT_RESOLVED : boolYaml11Tag.resolve(source, ...more),
  },
  {
    ...intYaml11Tag,
    resolve: (source, ...more) =>
      /^[-+]?0[0-9_]*:/.test(source) ? NOT_RESOLVED : intYaml11Tag.resolve(source, ...more),
  },
);

/** Parses a seed file; what cannot be read is ignored with its reason, as boards do. */
function parse<T>(name: string, text: string | null, schema: z.ZodType<T>, ignored: string[]): T | null {
  if (text === null) return null;
  try {
    // As the boards' own reader has it, a text without a document is empty, and one with two is none.
    const documents = loadAll(text, { schema: seedSchema });
    const parsed = schema.safeParse(documents[0]);
    if (documents.length > 1) ignored.push(`${name}: more than one document`);
    else if (parsed.success) return parsed.data;
    else ignored.push(`${name}: ${z.prettifyError(parsed.error)}`);
  } catch (error) {
    if (!(error instanceof YAMLException)) throw error;
    ignored.push(`${name}: ${error.reason}`);
  }
  return null;
}

/** How a rule of sudoers(5) lets somebody become root. */
const rightsOf = (rule: string | string[] | null | undefined): 'free' | 'ask' | 'none' => {
  const text = [rule ?? ''].flat().join('\n');
  return text === '' ? 'none' : text.includes('NOPASSWD') ? 'free' : 'ask';
};

/** What cloud-init posts of what it was asked to (module "phone_home"); keys are left out here. */
function callOf(
  { url, post }: { url: string; post: 'all' | string[] },
  hostname: string,
  meta: z.infer<typeof MetaDataSchema>,
): Call {
  const instance_id = meta['instance-id'] ?? 'nocloud';
  const known: Record<string, string> = { instance_id, hostname, fqdn: hostname };
  const names = post === 'all' ? Object.keys(known) : post;
  const form = new URLSearchParams(Object.fromEntries(names.map((name) => [name, known[name] ?? 'N/A'])));
  return { url: url.replaceAll('$INSTANCE_ID', instance_id), body: form.toString() };
}

/** A board whose image reads a declarative seed. */
export async function readSeed(volume: CardFiles): Promise<BoardSettings> {
  const settings = blank();
  const { ignored } = settings;
  const metaText = await readText(volume, 'meta-data');
  const meta = parse('meta-data', metaText, MetaDataSchema, ignored);
  if (!meta) {
    ignored.push('without meta-data the whole seed is ignored');
    return settings;
  }
  settings.hostName = meta['local-hostname'] ?? settings.hostName;
  settings.instanceId = meta['instance-id'] ?? 'nocloud';
  const userText = await readText(volume, 'user-data');
  if (userText !== null && !/^#cloud-config[ \t]*\r?\n/.test(userText))
    ignored.push('user-data: its first line is not #cloud-config');
  else {
    const user = parse('user-data', userText, UserDataSchema, ignored);
    if (user) {
      settings.hostName = user.hostname ?? settings.hostName;
      settings.passwordLogin = user.ssh_pwauth;
      settings.hostKey = user.ssh_keys?.ed25519_private ?? null;
      settings.files = user.write_files.map(({ path, content, permissions }) => ({
        path,
        content,
        open: (parseInt(permissions, 8) & 0o077) !== 0,
      }));
      settings.region = { timeZone: user.timezone, locale: user.locale, keyboard: user.keyboard ?? null };
      if (user.phone_home) settings.calls.push(callOf(user.phone_home, settings.hostName, meta));
      settings.users = user.users.flatMap((entry) =>
        typeof entry === 'string'
          ? []
          : [
              {
                name: entry.name,
                keys: entry.ssh_authorized_keys,
                hash: entry.lock_passwd ? null : (entry.hashed_passwd ?? entry.passwd ?? null),
                sudo: rightsOf(entry.sudo),
              },
            ],
      );
    }
  }
  const network = parse(
    'network-config',
    await readText(volume, 'network-config'),
    NetworkConfigSchema,
    ignored,
  );
  for (const wifi of Object.values(network?.wifis ?? {})) {
    settings.radio.country = wifi['regulatory-domain'] ?? settings.radio.country;
    for (const [ssid, point] of Object.entries(wifi['access-points']))
      settings.radio.networks.push({
        ssid,
        password: point.auth?.password ?? point.password ?? null,
        hidden: point.hidden ?? false,
        priority: Number(point.networkmanager?.passthrough['connection.autoconnect-priority'] ?? 0),
      });
    settings.radio.networks.sort((a, b) => b.priority - a.priority);
  }
  return settings;
}
