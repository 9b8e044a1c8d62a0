import { textOrNull } from '../../bytes';
import { readSupplicant } from '../../formats/supplicant/supplicant';
import { octetsOf } from '../../formats/supplicant/values';
import type { WifiSecurity } from '../../wifi/network';
import { adopted, type Adopted } from './adopted';

/** Takes the networks of a wpa_supplicant file over. */
export function fromSupplicant(content: string, found: Adopted): void {
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
