import * as z from 'zod';
import { nameOf } from '../plain-name';
import { TriedKeySchema } from './key-trial';

/** How a network is secured. */
export const WifiSecuritySchema = z.enum(['open', 'wep', 'wpa2-psk', 'wpa2-wpa3', 'wpa3-sae']);
export type WifiSecurity = z.infer<typeof WifiSecuritySchema>;

export const wifiSecurityTitles: Record<WifiSecurity, string> = {
  open: 'Open, no key',
  wep: 'WEP (legacy)',
  'wpa2-psk': 'WPA2, pre-shared key',
  'wpa2-wpa3': 'WPA2 and WPA3 mixed',
  'wpa3-sae': 'WPA3 only (SAE)',
};

export const WifiBandSchema = z.enum(['2.4 GHz', '5 GHz', '6 GHz']);
export type WifiBand = z.infer<typeof WifiBandSchema>;

/** A Wi-Fi network on the shelf. It is kept while it is still wrong; the rules judge it. */
export const NetworkSchema = z.object({
  title: nameOf(80),
  /** The name as typed; as hexadecimal digits when `ssidForm` says so, for names that are not UTF-8. */
  ssid: z.string().max(255),
  ssidForm: z.enum(['text', 'hex']),
  security: WifiSecuritySchema,
  hidden: z.boolean(),
  bands: z.array(WifiBandSchema).max(3),
  /** Channels that the access point may use, empty when nobody looked. */
  channels: z.array(z.object({ band: WifiBandSchema, channel: z.number().int().min(1).max(253) })).max(40),
  /** ISO 3166-1 country that the access point is set to, empty when unknown. */
  country: nameOf(8),
  purpose: z.enum(['bench', 'site', 'hotspot', 'spare']),
  /** CIDR form, empty when unknown. */
  subnet: nameOf(64),
  /** Addresses that its address server gives out; null when unknown. */
  poolSize: z.number().int().min(0).max(1_000_000).nullable(),
  /** Clients that the access point takes at once; null when unknown. */
  clientLimit: z.number().int().min(0).max(100_000).nullable(),
  /** Whether it keeps its clients apart, as guest networks do. */
  isolation: z.boolean(),
  /** Whether it is on the air at the bench. */
  heard: z.boolean(),
});
export type Network = z.infer<typeof NetworkSchema>;

export const SecretFaultSchema = z.enum([
  'missing',
  'short',
  'long',
  'characters',
  'spaces',
  'wep-form',
  'not-needed',
]);
export type SecretFault = z.infer<typeof SecretFaultSchema>;

/** A network with its place on the shelf and what is known of its key, never the key itself. */
export const ShelvedNetworkSchema = NetworkSchema.extend({
  id: z.uuid(),
  version: z.number().int(),
  secret: z.object({ state: z.enum(['missing', 'kept']), faults: z.array(SecretFaultSchema) }),
  /** The last trial of its key; absent where there was none. */
  tried: TriedKeySchema.optional(),
});
export type ShelvedNetwork = z.infer<typeof ShelvedNetworkSchema>;

export const emptyNetwork = (title: string): Network => ({
  title,
  ssid: '',
  ssidForm: 'text',
  security: 'wpa2-psk',
  hidden: false,
  bands: ['2.4 GHz'],
  channels: [],
  country: '',
  purpose: 'bench',
  subnet: '',
  poolSize: null,
  clientLimit: null,
  isolation: false,
  heard: true,
});

/** A network's name in a sentence: its title, or its name on the air, or "a network without a name". */
export const networkTitle = ({ title, ssid }: Pick<Network, 'title' | 'ssid'>): string =>
  title.trim() || ssid.trim() || 'a network without a name';
