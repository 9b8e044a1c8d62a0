import * as z from 'zod';
import { WifiBandSchema } from '../wifi/network';

/** What a network says of its security; more than a shelf has words for. */
export const AnnouncedSecuritySchema = z.enum([
  'open',
  'owe',
  'wep',
  'wpa',
  'wpa-wpa2',
  'wpa2-psk',
  'wpa2-wpa3',
  'wpa3-sae',
  'enterprise',
]);
export type AnnouncedSecurity = z.infer<typeof AnnouncedSecuritySchema>;

export const announcedTitles: Record<AnnouncedSecurity, string> = {
  open: 'Open',
  owe: 'Open, encrypted (OWE)',
  wep: 'WEP (legacy)',
  wpa: 'WPA, the first (legacy)',
  'wpa-wpa2': 'WPA and WPA2',
  'wpa2-psk': 'WPA2',
  'wpa2-wpa3': 'WPA2 and WPA3',
  'wpa3-sae': 'WPA3 only',
  enterprise: 'By user and password (802.1X)',
};

/** Hardware address of an access point, in lower case. */
export const BssidSchema = z.string().regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/);

/** One access point as an adapter heard it. */
export const HeardPointSchema = z.object({
  bssid: BssidSchema,
  /** Octets of its name in hexadecimal digits; empty where it keeps it to itself. */
  ssidHex: z.string().regex(/^([0-9a-f]{2}){0,32}$/),
  band: WifiBandSchema,
  channel: z.number().int(),
  /** Centre of its channel, in MHz. */
  mhz: z.number().int(),
  /** In dBm; null where only a share of the best is told. */
  signal: z.number().nullable(),
  /** In hundredths of the best, where that is told. */
  quality: z.number().min(0).max(100).nullable(),
  security: AnnouncedSecuritySchema,
  /** Country that it claims to be in, two letters; empty where it claims none. */
  country: z.string().max(2),
});
export type HeardPoint = z.infer<typeof HeardPointSchema>;

/** All access points of one name. */
export const HeardNetworkSchema = z.object({
  ssidHex: HeardPointSchema.shape.ssidHex,
  /** The name as text; null where its octets are none in UTF-8. */
  text: z.string().nullable(),
  points: z.array(HeardPointSchema).min(1),
  /** Other names that eyes take for this one, as text or digits. */
  lookAlikes: z.array(z.string()),
});
export type HeardNetwork = z.infer<typeof HeardNetworkSchema>;

/** An adapter of this computer. */
export const RadioAdapterSchema = z.object({
  name: z.string().min(1).max(32),
  bands: z.array(WifiBandSchema),
  /** Whether this computer is on a network with it now. */
  inUse: z.boolean(),
  /** Why a key cannot be tried with it; empty where it can. */
  mayTry: z.string(),
  /** What somebody has to agree to before it is; empty for nothing. */
  asks: z.string(),
});
export type RadioAdapter = z.infer<typeof RadioAdapterSchema>;
