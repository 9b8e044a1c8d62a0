import type { WifiBand } from './network';
import { radioLimits } from './radio-limits';

/** First and last channel number of 20 MHz in each band, and the step between them (IEEE Std 802.11-2020 annex E). */
const bands: Record<WifiBand, (channel: number) => boolean> = {
  '2.4 GHz': (channel) => channel >= 1 && channel <= 14,
  '5 GHz': (channel) =>
    (channel >= 32 && channel <= 144 && channel % 4 === 0) ||
    (channel >= 149 && channel <= 177 && channel % 4 === 1),
  '6 GHz': (channel) => (channel >= 1 && channel <= 233 && channel % 4 === 1) || channel === 2,
};

export const isChannel = (band: WifiBand, channel: number): boolean =>
  Number.isInteger(channel) && bands[band](channel);

/**
 * Centre frequency of a channel, in MHz (IEEE Std 802.11-2020 section 17.3.8.4.2 and annex E; 6 GHz: IEEE Std
 * 802.11ax-2021 section 27.3.23.2). Null when the band has no such channel.
 */
export function channelMHz(band: WifiBand, channel: number): number | null {
  if (!isChannel(band, channel)) return null;
  if (band === '2.4 GHz') return channel === 14 ? 2484 : 2407 + 5 * channel;
  if (band === '5 GHz') return 5000 + 5 * channel;
  return channel === 2 ? 5935 : 5950 + 5 * channel;
}

/** Frequencies on which radios may work in a country, in MHz; null for a country that the database does not list. */
export function countryRanges(country: string): readonly (readonly [number, number])[] | null {
  const text = radioLimits[country];
  if (text === undefined) return null;
  return text.split(' ').map((range) => {
    const [start = '0', end = '0'] = range.split('-');
    return [Number(start), Number(end)] as const;
  });
}

/** Half of a channel's width, in MHz. */
const HALF_WIDTH = 10;

/**
 * Whether a channel of 20 MHz lies inside what a country allows; null when the country is not in the database.
 * Channel 14 is narrower by rule and is only asked by its centre.
 */
export function channelAllowed(country: string, band: WifiBand, channel: number): boolean | null {
  const ranges = countryRanges(country);
  const centre = channelMHz(band, channel);
  if (!ranges || centre === null) return null;
  const half = band === '2.4 GHz' && channel === 14 ? 0 : HALF_WIDTH;
  return ranges.some(([start, end]) => centre - half >= start && centre + half <= end);
}

/** Band and channel of a centre frequency, as `channelMHz` has them; null where no channel lies there. */
export function channelAt(mhz: number): { band: WifiBand; channel: number } | null {
  const found = (band: WifiBand, channel: number): { band: WifiBand; channel: number } | null =>
    channelMHz(band, channel) === mhz ? { band, channel } : null;
  if (mhz === 2484) return found('2.4 GHz', 14);
  if (mhz < 3000) return found('2.4 GHz', (mhz - 2407) / 5);
  if (mhz < 5925) return found('5 GHz', (mhz - 5000) / 5);
  return mhz === 5935 ? found('6 GHz', 2) : found('6 GHz', (mhz - 5950) / 5);
}
