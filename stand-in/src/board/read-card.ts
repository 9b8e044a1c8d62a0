import { load, YAMLException } from 'js-yaml';
import * as z from 'zod';
import {
  bootPartition,
  DiskError,
  FatVolume,
  inspectDisk,
  SliceSource,
  type ByteSource,
} from '@nest-mark/core/disk';

/** Why a board does not come up, or comes up without something. */
export class BootFailure extends Error {}

/** What a board took from its card; its own reading, independent of the code that wrote it. */
export interface BoardSettings {
  hostName: string;
  users: { name: string; keys: string[]; hash: string | null }[];
  passwordLogin: boolean;
  hostKey: string | null;
  files: { path: string; content: string }[];
  radio: { country: string | null; networks: { ssid: string; password: string | null; priority: number }[] };
  /** What the board ignored, with the reason. */
  ignored: string[];
}

const UserSchema = z.object({
  name: z.string(),
  ssh_authorized_keys: z.array(z.string()).default([]),
  lock_passwd: z.boolean().default(true),
  passwd: z.string().optional(),
  hashed_passwd: z.string().optional(),
});
const UserDataSchema = z.object({
  hostname: z.string().optional(),
  ssh_pwauth: z.boolean().default(false),
  users: z.array(z.union([z.string(), UserSchema])).default([]),
  // Names that are not known are skipped with a warning (cloud-init, module ssh).
  ssh_keys: z.object({ ed25519_private: z.string().optional() }).optional(),
  // A file without content is made empty (cloud-init's schema).
  write_files: z.array(z.object({ path: z.string(), content: z.string().default('') })).default([]),
});
/** Empty is fine, missing is not; seen on a real system. */
const MetaDataSchema = z
  .object({ 'instance-id': z.coerce.string().optional(), 'local-hostname': z.string().optional() })
  .nullish()
  .transform((value) => value ?? {});
const AccessPointSchema = z
  .object({
    password: z.string().optional(),
    auth: z
      .object({ 'key-management': z.enum(['none', 'psk', 'sae']), password: z.string().optional() })
      .optional(),
    networkmanager: z.object({ passthrough: z.record(z.string(), z.coerce.string()).default({}) }).optional(),
  })
  .nullable();
const WifiSchema = z.object({
  'regulatory-domain': z.string().optional(),
  'access-points': z.record(z.string(), AccessPointSchema),
});
const NetworkSchema = z.object({
  version: z.literal(2),
  wifis: z.record(z.string(), WifiSchema).default({}),
});
const NetworkConfigSchema = z.union([
  z.object({ network: NetworkSchema }).transform((wrapped) => wrapped.network),
  NetworkSchema,
]);

const blank = (): BoardSettings => ({
  hostName: 'board',
  users: [],
  passwordLogin: false,
  hostKey: null,
  files: [],
  radio: { country: null, networks: [] },
  ignored: [],
});

async function bootVolume(card: ByteSource): Promise<FatVolume> {
  try {
    const boot = bootPartition(await inspectDisk(card));
    if (!boot) throw new BootFailure('the card has no FAT boot partition');
    return await FatVolume.openReadOnly(new SliceSource(card, boot.offset, boot.size));
  } catch (error) {
    if (error instanceof DiskError) throw new BootFailure(`the card does not start: ${error.message}`);
    throw error;
  }
}

/** The boot loader's file names a kernel, which must be there (extlinux.conf, Boot Loader Specification family). */
async function startKernel(volume: FatVolume): Promise<void> {
  const text = await readText(volume, 'extlinux/extlinux.conf').catch(() => null);
  if (!text) throw new BootFailure('the boot loader’s file extlinux/extlinux.conf is missing');
  const kernel = /^\s*(?:kernel|linux)\s+(\S+)/im.exec(text)?.[1]?.replace(/^(\.\.)?\//, '');
  if (!kernel || !(await volume.readFile(kernel)))
    throw new BootFailure('the kernel that the boot loader names is missing');
}

async function readText(volume: FatVolume, path: string): Promise<string | null> {
  const bytes = await volume.readFile(path);
  return bytes ? new TextDecoder('utf-8', { ignoreBOM: true }).decode(bytes) : null;
}

/** Parses a seed file; what cannot be read is ignored with its reason, as boards do. */
function parse<T>(name: string, text: string | null, schema: z.ZodType<T>, ignored: string[]): T | null {
  if (text === null) return null;
  try {
    const parsed = schema.safeParse(load(text));
    if (parsed.success) return parsed.data;
    ignored.push(`${name}: ${z.prettifyError(parsed.error)}`);
  } catch (error) {
    if (!(error instanceof YAMLException)) throw error;
    ignored.push(`${name}: ${error.reason}`);
  }
  return null;
}

/**
 * Boots from a card's octets.
 * @param start whether the kernel has to be there too; left out where only the settings are of interest
 * @throws BootFailure when the board would not even start
 */
export async function readCard(card: ByteSource, start = { kernel: true }): Promise<BoardSettings> {
  const volume = await bootVolume(card);
  if (start.kernel) await startKernel(volume);
  const settings = blank();
  const { ignored } = settings;
  const metaText = await readText(volume, 'meta-data');
  const meta = parse('meta-data', metaText, MetaDataSchema, ignored);
  if (!meta) {
    ignored.push('without meta-data the whole seed is ignored');
    return settings;
  }
  settings.hostName = meta['local-hostname'] ?? settings.hostName;
  const userText = await readText(volume, 'user-data');
  if (userText !== null && !/^#cloud-config[ \t]*\r?\n/.test(userText))
    ignored.push('user-data: its first line is not #cloud-config');
  else {
    const user = parse('user-data', userText, UserDataSchema, ignored);
    if (user) {
      settings.hostName = user.hostname ?? settings.hostName;
      settings.passwordLogin = user.ssh_pwauth;
      settings.hostKey = user.ssh_keys?.ed25519_private ?? null;
      settings.files = user.write_files;
      settings.users = user.users.flatMap((entry) =>
        typeof entry === 'string'
          ? []
          : [
              {
                name: entry.name,
                keys: entry.ssh_authorized_keys,
                hash: entry.lock_passwd ? null : (entry.hashed_passwd ?? entry.passwd ?? null),
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
        password: point?.auth?.password ?? point?.password ?? null,
        priority: Number(point?.networkmanager?.passthrough['connection.autoconnect-priority'] ?? 0),
      });
    settings.radio.networks.sort((a, b) => b.priority - a.priority);
  }
  return settings;
}
