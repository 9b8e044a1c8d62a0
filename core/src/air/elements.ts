import { toHex } from '../bytes';
import { channelAt } from '../wifi/channels';
import type { HeardPoint } from './model';
import { securityOf, type Announced } from './security';

/** What an access point announces in the elements of a beacon or an answer (IEEE Std 802.11-2020 section 9.4.2). */
export interface Elements extends Omit<Announced, 'privacy'> {
  /** Octets of its name; null where there is no such element. */
  ssid: Uint8Array | null;
  /** Country that it claims to be in, two letters; empty where it claims none. */
  country: string;
}

/** Numbers of elements (table 9-92). */
const SSID = 0;
const COUNTRY = 7;
const RSN = 48;
const VENDOR = 221;

const RSN_OUI = '000fac';
const WPA_OUI = '0050f2';
/** Ways to prove oneself in an RSN element (table 9-151); FILS wants a user too. */
const byUser = [1, 3, 5, 11, 12, 13, 14, 15, 16, 17];
const byKey = [2, 4, 6, 19, 20];
const bySae = [8, 9, 24, 25];
const BY_OWE = 18;

/**
 * The ways to prove oneself in the body of an RSN element, or of WPA's, which has the same form: version, group cipher,
 * list of pairwise ciphers, list of ways (section 9.4.2.24). It may end after any of them; then 802.1X is meant.
 * @returns numbers of the ways of this OUI; null where the version is another one
 */
function waysIn(body: Uint8Array, oui: string): number[] | null {
  const pair = (at: number): number | null => {
    const [low, high] = body.subarray(at, at + 2);
    return low === undefined || high === undefined ? null : low + 256 * high;
  };
  if (pair(0) !== 1) return null;
  const pairwise = pair(6);
  const at = pairwise === null ? null : 8 + 4 * pairwise;
  const count = at === null ? null : pair(at);
  if (at === null || count === null) return [1];
  const ways: number[] = [];
  for (let one = 0; one < count; one++) {
    const suite = body.subarray(at + 2 + 4 * one, at + 6 + 4 * one);
    // It says more than it has.
    if (suite.length < 4) break;
    if (toHex(suite.subarray(0, 3)) === oui) ways.push(suite[3] ?? 0);
  }
  return ways;
}

/**
 * Reads elements one after the other; of two of a kind the first counts. What is cut short, or says that it is longer than
 * what is left, ends the reading.
 */
export function readElements(octets: Uint8Array): Elements {
  const read: Elements = { ssid: null, country: '', wpa: false, rsn: null, wpaEnterprise: false };
  for (let at = 0; at + 2 <= octets.length;) {
    const kind = octets[at];
    const length = octets[at + 1] ?? 0;
    const body = octets.subarray(at + 2, at + 2 + length);
    if (body.length < length) break;
    at += 2 + length;
    if (kind === SSID && read.ssid === null && length <= 32) read.ssid = body;
    else if (kind === COUNTRY && read.country === '')
      read.country = /^[A-Z]{2}/.exec(String.fromCharCode(...body.subarray(0, 2)))?.[0] ?? '';
    else if (kind === RSN && read.rsn === null) {
      const ways = waysIn(body, RSN_OUI);
      if (ways)
        read.rsn = {
          psk: ways.some((way) => byKey.includes(way)),
          sae: ways.some((way) => bySae.includes(way)),
          owe: ways.includes(BY_OWE),
          enterprise: ways.some((way) => byUser.includes(way)),
        };
    } else if (kind === VENDOR && !read.wpa && toHex(body.subarray(0, 4)) === `${WPA_OUI}01`) {
      const ways = waysIn(body.subarray(4), WPA_OUI);
      if (ways) {
        read.wpa = true;
        read.wpaEnterprise = ways.includes(1);
      }
    }
  }
  return read;
}

/** An access point as a supplicant has it. */
export interface RawPoint {
  bssid: Uint8Array;
  mhz: number;
  /** In dBm. */
  signal: number;
  /** The privacy bit of its capabilities. */
  privacy: boolean;
  elements: Uint8Array;
}

/** The point that is meant; null where its channel, or its address, is none. */
export function pointOfElements({ bssid, mhz, signal, privacy, elements }: RawPoint): HeardPoint | null {
  const at = channelAt(mhz);
  if (!at || bssid.length !== 6) return null;
  const { ssid, country, ...announced } = readElements(elements);
  const named = ssid !== null && ssid.some((octet) => octet !== 0);
  return {
    bssid: toHex(bssid).replace(/..(?=.)/g, '$&:'),
    ssidHex: named ? toHex(ssid) : '',
    ...at,
    mhz,
    signal,
    quality: null,
    security: securityOf({ ...announced, privacy }),
    country,
  };
}
