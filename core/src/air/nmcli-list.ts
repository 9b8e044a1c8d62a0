import { channelAt } from '../wifi/channels';
import { MOST_POINTS } from './iw-scan';
import type { HeardPoint } from './model';
import { securityOf } from './security';

/** What is asked of nmcli, in this order. A name itself is left out: a line break in it would tear the line. */
export const NMCLI_FIELDS = 'SSID-HEX,BSSID,MODE,FREQ,SIGNAL,SECURITY,WPA-FLAGS,RSN-FLAGS';

/** Fields of a terse line of nmcli: `:` in a value is `\\:` (nmcli(1), --terse). */
export const terseFields = (line: string): string[] =>
  (line.match(/(?:\\.|[^:\\])*(?::|$)/g) ?? []).map((part) => part.replace(/:$/, '').replace(/\\(.)/g, '$1'));

/** Access points from `nmcli -t -f … device wifi list`, with the fields of `NMCLI_FIELDS` (NetworkManager 1.42). */
export function readNmcliList(text: string): HeardPoint[] {
  return text
    .split('\n')
    .slice(0, MOST_POINTS)
    .flatMap((line): HeardPoint[] => {
      const [hex = '', bssid = '', mode = '', freq = '', strength = '', security = '', wpa = '', rsn = ''] =
        terseFields(line);
      const mhz = Number(/^(\d+) MHz$/.exec(freq)?.[1] ?? 0);
      const at = channelAt(mhz);
      const ssidHex = hex.toLowerCase();
      const point = bssid.toLowerCase();
      if (
        !at ||
        mode !== 'Infra' ||
        !/^([0-9a-f]{2}){0,32}$/.test(ssidHex) ||
        !/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(point)
      )
        return [];
      const has = (flags: string, word: string): boolean => flags.split(' ').includes(word);
      const given = (flags: string): boolean => flags !== '' && flags !== '(none)';
      const quality = Number(strength);
      return [
        {
          bssid: point,
          ssidHex: /^(00)*$/.test(ssidHex) ? '' : ssidHex,
          ...at,
          mhz,
          signal: null,
          quality: Number.isFinite(quality) ? Math.min(100, Math.max(0, quality)) : null,
          security: securityOf({
            privacy: security !== '',
            wpa: given(wpa),
            wpaEnterprise: has(wpa, '802.1X'),
            rsn: given(rsn)
              ? {
                  psk: has(rsn, 'psk'),
                  sae: has(rsn, 'sae'),
                  owe: has(rsn, 'owe') || has(rsn, 'owe_transition_mode'),
                  enterprise: has(rsn, '802.1X') || has(rsn, 'eap_suite_b_192'),
                }
              : null,
          }),
          country: '',
        },
      ];
    });
}
