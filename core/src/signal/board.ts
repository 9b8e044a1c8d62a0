import { fromHex, toHex } from '../bytes';
import { iwName } from '../air/iw-scan';
import { terseFields } from '../air/nmcli-list';
import { channelAt } from '../wifi/channels';
import { networkTitle, type ShelvedNetwork, type WifiBand } from '../wifi/network';
import { ssidBytes } from '../wifi/ssid';
import type { HeardSignal } from './model';

/**
 * What a board is asked, as its own user: on which network it is, and how strongly it hears it. Many boards have no iw;
 * NetworkManager tells the name and the frequency then, and the kernel the level (net/wireless/wext-proc.c).
 */
export const signalQuestion = `LC_ALL=C
PATH=$PATH:/usr/sbin:/sbin
export LC_ALL PATH
for d in /sys/class/net/*/wireless; do
    [ -d "$d" ] || continue
    i=\${d%/wireless}
    i=\${i##*/}
    echo "interface=$i"
    iw dev "$i" link 2>/dev/null | sed 's/^/iw=/'
    nmcli -t -f IN-USE,SSID-HEX,FREQ dev wifi list ifname "$i" --rescan no 2>/dev/null | sed -n 's/^\\*:/nm=/p'
    sed -n "s/^ *$i: */level=/p" /proc/net/wireless 2>/dev/null
done
true`;

/** What a board told of one of its radios. */
interface Told {
  ssidHex: string | null;
  mhz: number | null;
  dbm: number | null;
}

const MOST_LINES = 400;

/** A level that can be one of a radio, in whole dBm. */
function levelOf(text: string | undefined): number | null {
  const dbm = Math.round(Number(text ?? 'none'));
  return dbm < 0 && dbm >= -150 ? dbm : null;
}

/** Reads what `signalQuestion` printed, one for each radio; what is no answer of these programs is passed over. */
export function readBoardSignal(text: string): Told[] {
  const radios: Told[] = [];
  let open: Told | null = null;
  for (const line of text.split('\n').slice(0, MOST_LINES)) {
    const [, key, value = ''] = /^(interface|iw|nm|level)=(.*)$/.exec(line) ?? [];
    if (key === 'interface') radios.push((open = { ssidHex: null, mhz: null, dbm: null }));
    else if (!open) continue;
    else if (key === 'iw') {
      const [, what, said = ''] = /^\t(SSID|freq|signal): (.*)$/.exec(value) ?? [];
      const octets = what === 'SSID' ? iwName(said) : null;
      if (octets) open.ssidHex = toHex(octets);
      else if (what === 'freq') open.mhz = Math.round(Number(said)) || null;
      else if (what === 'signal') open.dbm = levelOf(/^(-\d+(?:\.\d+)?) dBm/.exec(said)?.[1]);
    } else if (key === 'nm') {
      const [hex = '', freq = ''] = terseFields(value);
      const octets = fromHex(hex.toLowerCase());
      if (octets && octets.length <= 32) open.ssidHex ??= toHex(octets);
      open.mhz ??= Number(/^(\d+) MHz$/.exec(freq)?.[1] ?? 0) || null;
    } else if (key === 'level') open.dbm ??= levelOf(/^\S+\s+\S+\s+(-?\d+)\.?\s/.exec(value)?.[1]);
  }
  return radios;
}

/**
 * What a board hears of the networks of its plan.
 * @param bands of its radio: where it has one only, nothing else can be meant
 * @returns the reading, or why there is none
 */
export function heardByBoard(
  told: readonly Told[],
  networks: readonly ShelvedNetwork[],
  bands: readonly WifiBand[],
): HeardSignal | string {
  const radio = told.find(({ dbm }) => dbm !== null);
  if (!radio)
    return told.length === 0
      ? 'The board tells of no Wi-Fi radio.'
      : 'The board’s radio is on no network now, or does not tell how strongly it hears it.';
  const network =
    radio.ssidHex === null
      ? networks.length === 1
        ? networks[0]
        : undefined
      : networks.find((one) => toHex(ssidBytes(one) ?? new Uint8Array()) === radio.ssidHex);
  if (!network)
    return radio.ssidHex === null
      ? 'The board tells how strongly it hears, and not which network: it has neither iw nor NetworkManager.'
      : 'The board is on a network that is not one of its plan.';
  const band = radio.mhz === null ? (bands.length === 1 ? bands[0] : undefined) : channelAt(radio.mhz)?.band;
  if (!band) return 'The board does not tell on which band it is: it has neither iw nor NetworkManager.';
  return { networkId: network.id, network: networkTitle(network), band, dbm: radio.dbm, about: false };
}
