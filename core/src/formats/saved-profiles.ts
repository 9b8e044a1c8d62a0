import * as z from 'zod';
import { busReply } from '../air/bus-reply';
import { fromHex, textOrNull, toHex } from '../bytes';
import { WifiSecuritySchema, type WifiSecurity } from '../wifi/network';
import { passphraseKind } from '../wifi/psk';
import { readSupplicant } from './supplicant/supplicant';
import { octetsOf, quotedPassphrase } from './supplicant/values';

/** A network that a computer has saved. */
export interface SavedProfile {
  /** Octets of its name, in hexadecimal digits. */
  ssidHex: string;
  hidden: boolean;
  /** Null where boards cannot be prepared for its security here. */
  security: WifiSecurity | null;
  /** Empty where there is none, or where it is kept in another place. */
  key: string;
  /** Whether its key lies elsewhere, as in a key ring that only its owner opens. */
  keyElsewhere: boolean;
}

/** A saved network without its key, and who keeps it. */
export const SavedPlaceSchema = z.object({
  id: z.string().max(400),
  by: z.enum(['NetworkManager', 'wpa_supplicant', 'practice']),
  ssidHex: z.string().regex(/^([0-9a-f]{2}){1,32}$/),
  hidden: z.boolean(),
  security: WifiSecuritySchema.nullable(),
  keyElsewhere: z.boolean(),
  hasKey: z.boolean(),
});
export type SavedPlace = z.infer<typeof SavedPlaceSchema>;

const ssidHexOf = (octets: Uint8Array | null): string | null =>
  octets && octets.length > 0 && octets.length <= 32 ? toHex(octets) : null;

const texts = z.object({ data: z.string() });
const SettingsSchema = z.object({
  connection: z.object({ type: texts }),
  '802-11-wireless': z.object({
    ssid: z.object({ data: z.array(z.number().int().min(0).max(255)).max(32) }),
    hidden: z.object({ data: z.boolean() }).optional(),
  }),
  '802-11-wireless-security': z
    .object({
      'key-mgmt': texts.optional(),
      'psk-flags': z.object({ data: z.number() }).optional(),
    })
    .optional(),
});

/** What busctl(1) prints with `--json=short`: the values of an answer, each with its type. */
const replyOf = <T>(data: z.ZodType<T>) => z.object({ data: z.tuple([data], z.unknown()) });

/** Object paths from an answer to `ListConnections`; nothing of what is none. */
export const readConnectionPaths = (text: string): string[] =>
  (busReply(replyOf(z.array(z.string())), text)?.data[0] ?? []).filter((path) =>
    /^\/org\/freedesktop\/NetworkManager\/Settings\/\d+$/.test(path),
  );

/** Secrets kept by an agent, or asked for each time (NetworkManager's NMSettingSecretFlags: 1 and 2). */
const ELSEWHERE = 3;

/**
 * A Wi-Fi profile from NetworkManager's answer to `GetSettings` (its D-Bus interface Settings.Connection; names are
 * octets there, which no other way of asking tells); null where it is another kind of profile.
 * @param secrets its answer to `GetSecrets`; null where that was not asked
 */
export function readManagedProfile(settings: string, secrets: string | null): SavedProfile | null {
  const profile = busReply(replyOf(SettingsSchema), settings)?.data[0];
  const ssidHex = ssidHexOf(profile ? Uint8Array.from(profile['802-11-wireless'].ssid.data) : null);
  if (!profile || ssidHex === null) return null;
  const guard = profile['802-11-wireless-security'];
  const management = guard?.['key-mgmt']?.data ?? '';
  const known = { '': 'open', 'wpa-psk': 'wpa2-psk', sae: 'wpa3-sae' } as const;
  const security = Object.entries(known).find(([word]) => word === management)?.[1] ?? null;
  const given =
    secrets === null
      ? null
      : busReply(
          replyOf(z.object({ '802-11-wireless-security': z.object({ psk: texts.optional() }).optional() })),
          secrets,
        );
  return {
    ssidHex,
    hidden: profile['802-11-wireless'].hidden?.data ?? false,
    security,
    key: given?.data[0]['802-11-wireless-security']?.psk?.data ?? '',
    keyElsewhere: ((guard?.['psk-flags']?.data ?? 0) & ELSEWHERE) !== 0,
  };
}

const managements = (value: string | undefined): string[] => (value ?? 'WPA-PSK').split(/\s+/);

function securityOf(block: ReadonlyMap<string, string>): WifiSecurity | null {
  const ways = managements(block.get('key_mgmt'));
  const psk = ways.some((way) => /^WPA-PSK/.test(way));
  const sae = ways.includes('SAE');
  if (psk) return sae ? 'wpa2-wpa3' : 'wpa2-psk';
  if (sae) return 'wpa3-sae';
  if (!ways.includes('NONE')) return null;
  return block.has('wep_key0') ? 'wep' : 'open';
}

/** A key as it stands in the file: quoted text, or digits. */
const keyText = (value: string | undefined): string =>
  value === undefined ? '' : (quotedPassphrase(value) ?? (passphraseKind(value) === 'key' ? value : ''));

/** Octets of a quoted text; null where it is none. */
const wepText = (value: string): string => {
  const octets = octetsOf(value);
  return value.startsWith('"') ? ((octets && textOrNull(octets)) ?? '') : fromHex(value) ? value : '';
};

/** Networks of a wpa_supplicant.conf (wpa_supplicant.conf(5)), those of a name that can be one. */
export const readSupplicantProfiles = (text: string): SavedProfile[] =>
  readSupplicant(text).blocks.flatMap((block): SavedProfile[] => {
    const ssidHex = ssidHexOf(octetsOf(block.get('ssid') ?? ''));
    if (ssidHex === null) return [];
    const security = securityOf(block);
    const wep = block.get('wep_key0');
    return [
      {
        ssidHex,
        hidden: block.get('scan_ssid') === '1',
        security,
        key:
          security === 'open' || security === null
            ? ''
            : security === 'wep'
              ? wepText(wep ?? '')
              : keyText(block.get('sae_password')) || keyText(block.get('psk')),
        keyElsewhere: /^ext:/.test(block.get('psk') ?? ''),
      },
    ];
  });
