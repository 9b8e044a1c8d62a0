import { parse } from 'yaml';
import * as z from 'zod';
import { textOrNull, toHex, utf8 } from '../bytes';
import { emptyNetwork, type Network, type WifiSecurity } from '../wifi/network';
import { checkCard, type BootFiles } from './check/check-card';
import { hereDocuments } from './check/script';
import { readSupplicant } from './check/supplicant';
import { octetsOf } from './check/supplicant-values';
import { isTemplate } from './check/template';
import { readKeyfile, ssidOfKeyfile, unescaped } from './keyfile';
import { RUN_ONCE_FOLDER } from './run-once/method';

/** A network of a card as the shelf keeps it, with its key. */
export interface AdoptedNetwork {
  network: Network;
  secret: string;
  priority: number;
}

/** What a plan takes over from a card that runs already. */
export interface Adopted {
  hostName: string | null;
  users: { name: string; keys: string[]; sudo: boolean }[];
  passwordLogin: boolean;
  networks: AdoptedNetwork[];
  country: string | null;
  timeZone: string | null;
  locale: string | null;
  keyboard: string | null;
  commands: string[];
  /** What could not be taken over, in sentences. */
  left: string[];
}

const nothing = (): Adopted => ({
  hostName: null,
  users: [],
  passwordLogin: false,
  networks: [],
  country: null,
  timeZone: null,
  locale: null,
  keyboard: null,
  commands: [],
  left: [],
});

function adopted(
  ssid: Uint8Array,
  security: WifiSecurity,
  secret: string,
  more: { hidden: boolean; priority: number; country: string | null },
): AdoptedNetwork {
  const text = textOrNull(ssid);
  const { hidden, priority, country } = more;
  return {
    network: {
      ...emptyNetwork(text ?? toHex(ssid)),
      ssid: text ?? toHex(ssid),
      ssidForm: text === null ? 'hex' : 'text',
      security,
      hidden,
      country: country ?? '',
      purpose: 'site',
    },
    secret,
    priority,
  };
}

const passwordLeft = (name: string): string =>
  `The password of ${name} lies there as a hash only; set one under "Who can log in", if there shall be one.`;

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

function fromSeed(files: ReadonlyMap<string, string>): Adopted {
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

function fromSupplicant(content: string, found: Adopted): void {
  const { globals, blocks } = readSupplicant(content);
  found.country = globals.get('country') ?? null;
  for (const block of blocks) {
    const ssid = octetsOf(block.get('ssid') ?? '');
    if (!ssid || ssid.length === 0) continue;
    const management = block.get('key_mgmt') ?? 'WPA-PSK';
    const wep = block.get('wep_key0');
    const key = block.get('sae_password') ?? block.get('psk') ?? wep ?? '';
    const quoted = octetsOf(key);
    const secret =
      /^".*"$/.test(key) || block.has('sae_password') ? ((quoted && textOrNull(quoted)) ?? '') : key;
    const security: WifiSecurity =
      wep !== undefined
        ? 'wep'
        : management.includes('NONE')
          ? 'open'
          : /SAE/.test(management) && !/PSK/.test(management)
            ? 'wpa3-sae'
            : /SAE/.test(management)
              ? 'wpa2-wpa3'
              : 'wpa2-psk';
    found.networks.push(
      adopted(ssid, security, security === 'open' ? '' : secret, {
        hidden: block.get('scan_ssid') === '1',
        priority: Number(block.get('priority') ?? 0),
        country: found.country,
      }),
    );
  }
}

function fromKeyfile(content: string, found: Adopted): void {
  const groups = readKeyfile(content);
  const wifi = groups.get('wifi');
  if (!wifi) return;
  const guard = groups.get('wifi-security');
  const management = guard?.get('key-mgmt');
  const wep = guard?.get('wep-key0');
  const security: WifiSecurity =
    wep !== undefined
      ? 'wep'
      : management === 'sae'
        ? 'wpa3-sae'
        : management === 'wpa-psk'
          ? 'wpa2-psk'
          : 'open';
  found.networks.push(
    adopted(ssidOfKeyfile(wifi.get('ssid') ?? ''), security, unescaped(wep ?? guard?.get('psk') ?? ''), {
      hidden: wifi.get('hidden') === 'true',
      priority: Number(groups.get('connection')?.get('autoconnect-priority') ?? 0),
      country: found.country,
    }),
  );
}

function fromScript(boot: BootFiles, files: ReadonlyMap<string, string>): Adopted {
  const found = nothing();
  const { settings } = checkCard(boot);
  found.country = settings.country;
  found.hostName = settings.hostName;
  found.passwordLogin = settings.passwordLogin;
  const at = (name: string): string | undefined => files.get(`${RUN_ONCE_FOLDER}/${name}`);
  for (const line of (at('users') ?? '').split('\n')) {
    const [name = '', hash = '', sudo = ''] = line.split(':');
    if (name === '') continue;
    const keys = (at(`keys/${name}`) ?? '').split('\n').filter((key) => key !== '');
    found.users.push({ name, keys, sudo: sudo !== 'none' });
    if (hash.startsWith('$')) found.left.push(passwordLeft(name));
  }
  found.timeZone = at('time-zone')?.trim() ?? null;
  found.locale = at('locale')?.trim() ?? null;
  found.commands = (at('commands') ?? '').split('\n').filter((line) => line !== '');
  const keyboard = at('keyboard') ?? '';
  const layout = /^XKBLAYOUT="([^"]*)"$/m.exec(keyboard)?.[1];
  found.keyboard =
    layout === undefined ? null : `${layout} ${/^XKBVARIANT="([^"]*)"$/m.exec(keyboard)?.[1] ?? ''}`.trim();
  for (const [name, content] of files) {
    if (name.startsWith(`${RUN_ONCE_FOLDER}/networks/`)) fromKeyfile(content, found);
    else if (name.endsWith('.sh') && name !== 'run-once.sh') {
      for (const document of hereDocuments(content)) fromKeyfile(document.content, found);
      found.left.push(`What ${name} does beyond its networks is not taken over.`);
    }
  }
  return found;
}

/** Reads the settings of a card, an image or a folder for a plan; the secrets come along. */
export function adopt(boot: BootFiles): Adopted {
  const files = new Map(
    boot.files.map(({ name, content }) => [name.toLowerCase(), textOrNull(content) ?? '']),
  );
  const { acts } = checkCard(boot);
  if (acts === 'declarative-seed') return fromSeed(files);
  if (acts === 'run-once') return fromScript(boot, files);
  const found = nothing();
  if (acts === 'marker-files') {
    fromSupplicant(files.get('wpa_supplicant.conf') ?? '', found);
    const [name = '', hash = ''] = (files.get('userconf.txt') ?? '').trim().split(':');
    if (name !== '') {
      found.users.push({ name, keys: [], sudo: true });
      found.passwordLogin = hash.startsWith('$');
      if (found.passwordLogin) found.left.push(passwordLeft(name));
    }
  }
  if (acts === 'network-template') {
    const template = boot.files.find(isTemplate);
    fromSupplicant((template && textOrNull(template.content)) ?? '', found);
  }
  return found;
}
