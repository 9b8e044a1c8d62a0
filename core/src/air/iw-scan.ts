import { toHex } from '../bytes';
import { channelAt } from '../wifi/channels';
import type { HeardPoint } from './model';
import { securityOf, type Announced } from './security';

/** Most access points that are read; more is not the air of a place. */
export const MOST_POINTS = 2000;

/**
 * Octets of a name as iw writes it: everything but printable ASCII, the backslash, and a space at either end, as `\\xNN`
 * (iw 5.19, print_ssid_escaped). Null where it is none of its writing, or longer than a name can be.
 */
export function iwName(text: string): Uint8Array | null {
  const octets: number[] = [];
  for (const [whole, digits] of text.matchAll(/\\x([0-9a-f]{2})|[^\\]|\\/g)) {
    if (digits !== undefined) octets.push(parseInt(digits, 16));
    else if (/^[\x20-\x5b\x5d-\x7e]$/.test(whole)) octets.push(whole.charCodeAt(0));
    else return null;
  }
  return octets.length <= 32 ? Uint8Array.from(octets) : null;
}

interface Open extends Announced {
  bssid: string;
  mhz: number;
  signal: number | null;
  name: Uint8Array | null;
  country: string;
}

function closed(open: Open): HeardPoint | null {
  const at = channelAt(open.mhz);
  if (!at) return null;
  const { bssid, mhz, signal, name, country } = open;
  const hidden = name === null || name.every((octet) => octet === 0);
  return {
    bssid,
    ssidHex: hidden ? '' : toHex(name),
    ...at,
    mhz,
    signal,
    quality: null,
    security: securityOf(open),
    country,
  };
}

/** Suites of an RSN or WPA block; the names have spaces in them. */
const proofsOf = (suites: string): NonNullable<Announced['rsn']> => ({
  psk: /\bPSK\b/.test(suites),
  sae: /\bSAE\b/.test(suites),
  owe: /\bOWE\b/.test(suites),
  enterprise: /802\.1X|FILS/.test(suites),
});

/**
 * Access points from what `iw dev NAME scan` or `scan dump` prints (iw 5.19; its authors call that output unfit for
 * parsing, so lines that are not known are passed over, and a point without a channel that exists is left out).
 */
export function readIwScan(text: string): HeardPoint[] {
  const points: HeardPoint[] = [];
  let open: Open | null = null;
  let block = '';
  const close = (): void => {
    const point = open && closed(open);
    if (point && points.length < MOST_POINTS) points.push(point);
  };
  for (const line of text.split('\n')) {
    const [, bssid] = /^BSS ([0-9a-f]{2}(?::[0-9a-f]{2}){5})\(on /.exec(line) ?? [];
    if (bssid !== undefined) {
      close();
      open = {
        bssid,
        mhz: 0,
        signal: null,
        name: null,
        country: '',
        privacy: false,
        wpa: false,
        rsn: null,
        wpaEnterprise: false,
      };
      block = '';
      continue;
    }
    if (!open) continue;
    const [, key, rest = ''] = /^\t([^\t:][^:]*):(.*)$/.exec(line) ?? [];
    if (key !== undefined) block = key;
    const value = rest.trim();
    if (key === 'freq') open.mhz = Math.round(Number(value)) || 0;
    else if (key === 'signal') {
      const dbm = Number(/^(-?\d+(?:\.\d+)?) dBm$/.exec(value)?.[1] ?? 'none');
      if (Number.isFinite(dbm)) open.signal = dbm;
    } else if (key === 'capability') open.privacy = /\bPrivacy\b/.test(value);
    // Of two, as of one that answered to its name, the one that says something.
    else if (key === 'SSID') open.name = iwName(rest.replace(/^ /, '')) ?? open.name;
    else if (key === 'Country') open.country = /^([A-Z]{2})\b/.exec(value)?.[1] ?? '';
    else if (key === 'RSN') open.rsn ??= { psk: false, sae: false, owe: false, enterprise: false };
    else if (key === 'WPA') open.wpa = true;
    const [, suites] = /^\t\t? ?\s*\* Authentication suites: (.*)$/.exec(line) ?? [];
    if (suites === undefined) continue;
    if (block === 'RSN') open.rsn = proofsOf(suites);
    else if (block === 'WPA') open.wpaEnterprise = proofsOf(suites).enterprise;
  }
  close();
  return points;
}
