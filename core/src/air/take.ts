import { isCountry } from '../wifi/countries';
import type { Network, WifiBand, WifiSecurity } from '../wifi/network';
import { ssidBytes } from '../wifi/ssid';
import { toHex } from '../bytes';
import { looksLike, shownName } from './look-alikes';
import { announcedTitles, type AnnouncedSecurity, type HeardNetwork } from './model';

const bandOrder: readonly WifiBand[] = ['2.4 GHz', '5 GHz', '6 GHz'];

/** The shelf's word for a security; null where boards cannot be prepared for it here. */
const shelved: Record<AnnouncedSecurity, WifiSecurity | null> = {
  open: 'open',
  owe: null,
  wep: 'wep',
  wpa: null,
  'wpa-wpa2': 'wpa2-psk',
  'wpa2-psk': 'wpa2-psk',
  'wpa2-wpa3': 'wpa2-wpa3',
  'wpa3-sae': 'wpa3-sae',
  enterprise: null,
};

/** Bands on which a name is heard. */
export const bandsOf = ({ points }: HeardNetwork): WifiBand[] =>
  bandOrder.filter((band) => points.some((point) => point.band === band));

/** Channels on which a name is heard, in order. */
export const channelsOf = ({ points }: HeardNetwork): Network['channels'] =>
  [...new Map(points.map(({ band, channel }) => [`${band} ${String(channel)}`, { band, channel }])).values()]
    .sort((a, b) => bandOrder.indexOf(a.band) - bandOrder.indexOf(b.band) || a.channel - b.channel)
    .slice(0, 40);

/** What its access points say of security, each once. */
export const securitiesOf = ({ points }: HeardNetwork): AnnouncedSecurity[] => [
  ...new Set(points.map(({ security }) => security)),
];

/** Why a network of the air cannot go onto the shelf as it is; null where it can. */
export function cannotTake(heard: HeardNetwork): string | null {
  if (heard.ssidHex === '') return 'It keeps its name to itself: type the name, and say that it is hidden.';
  const all = securitiesOf(heard);
  if (all.every((one) => shelved[one] === null))
    return `${all.map((one) => announcedTitles[one]).join(', ')}: boards cannot be prepared for that here.`;
  return null;
}

/**
 * A network of the shelf, filled with what is heard: the name octet by octet, bands, channels, security, and the country
 * where all of them claim the same one. Where its points differ in security, the older is taken: all of them take it.
 */
export function takenFromAir(network: Network, heard: HeardNetwork): Network {
  const order = Object.keys(shelved) as AnnouncedSecurity[];
  const security = securitiesOf(heard)
    .sort((a, b) => order.indexOf(a) - order.indexOf(b))
    .map((one) => shelved[one])
    .find((one) => one !== null);
  const claimed = new Set(heard.points.map(({ country }) => country).filter((one) => isCountry(one)));
  const [country] = claimed.size === 1 ? claimed : [];
  return {
    ...network,
    ssid: heard.text ?? heard.ssidHex,
    ssidForm: heard.text === null ? 'hex' : 'text',
    security: security ?? network.security,
    hidden: false,
    bands: bandsOf(heard),
    channels: channelsOf(heard),
    country: country ?? network.country,
    heard: true,
  };
}

/** Whether who is prepared for a security of the shelf can join a network that announces another (common practice). */
export const answersTo = (security: WifiSecurity, announced: AnnouncedSecurity): boolean =>
  security === 'wpa3-sae'
    ? announced === 'wpa3-sae' || announced === 'wpa2-wpa3'
    : security === 'open' || security === 'wep'
      ? announced === security
      : ['wpa', 'wpa-wpa2', 'wpa2-psk', 'wpa2-wpa3'].includes(announced);

/** What is not as the shelf has it. */
export interface AirChange {
  kind: 'not-heard' | 'band-gone' | 'band-new' | 'security' | 'country';
  text: string;
}

/**
 * What of a network has changed in the air since it went onto the shelf.
 * @param hears bands that the adapter hears; of others nothing is said
 */
export function airChanges(
  network: Network,
  heard: readonly HeardNetwork[],
  hears: readonly WifiBand[],
): AirChange[] {
  const octets = ssidBytes(network);
  const there =
    octets && octets.length > 0 ? heard.find(({ ssidHex }) => ssidHex === toHex(octets)) : undefined;
  if (!there) {
    if (network.hidden || !network.bands.some((band) => hears.includes(band))) return [];
    const digits = octets ? toHex(octets) : '';
    const name = digits === '' ? network.ssid : shownName(digits);
    const near = heard.find(({ ssidHex }) => looksLike(ssidHex, digits));
    return [
      {
        kind: 'not-heard',
        text: near
          ? `“${name}” is not heard, but “${shownName(near.ssidHex)}” is, which is another name.`
          : `“${name}” is not heard here now.`,
      },
    ];
  }
  const now = takenFromAir(network, there);
  const gone = network.bands.filter((band) => hears.includes(band) && !now.bands.includes(band));
  const fresh = now.bands.filter((band) => !network.bands.includes(band));
  const said = securitiesOf(there);
  return [
    ...gone.map((band): AirChange => ({ kind: 'band-gone', text: `It is not heard on ${band} any more.` })),
    ...fresh.map((band): AirChange => ({ kind: 'band-new', text: `It is heard on ${band} too.` })),
    ...(said.every((one) => shelved[one] !== network.security)
      ? [
          {
            kind: 'security' as const,
            text: `It announces ${said.map((one) => announcedTitles[one]).join(' and ')}.`,
          },
        ]
      : []),
    ...(network.country !== '' && now.country !== network.country
      ? [{ kind: 'country' as const, text: `It claims to be in ${now.country}.` }]
      : []),
  ];
}
