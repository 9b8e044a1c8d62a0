import { setTimeout as pause } from 'node:timers/promises';
import type { Air } from '@nest-mark/core/api';
import {
  answersTo,
  type AnnouncedSecurity,
  type HeardPoint,
  type TriedNetwork,
} from '@nest-mark/core/in-air';
import { RadioError, type Radio, type TrialEnd } from '@nest-mark/station/ports';
import { keyOf } from './access-point';
import type { OnAir } from './networks';

/** In dBm: what is weaker is not heard, and how strong the network of the bench is there. */
const FAINT = -95;
const NEAR = -42;

/** Milliseconds; a real radio takes seconds, and a wrong key longer than a right one. */
const LISTENS = 300;
const JOINS = 400;
const WRONG = 900;
const NOT_FOUND = 700;

type WifiBand = Air['bands'][number];

const NAME = 'practice0';
const HEARS: readonly WifiBand[] = ['2.4 GHz', '5 GHz'];
const CHANNEL: Record<WifiBand, number> = { '2.4 GHz': 6, '5 GHz': 36, '6 GHz': 5 };
/** Frequencies from which the channels of a band count, in MHz; each channel is 5 wide. */
const BASE: Record<WifiBand, number> = { '2.4 GHz': 2407, '5 GHz': 5000, '6 GHz': 5950 };
const hexOf = (text: string): string => Buffer.from(text).toString('hex');

interface Neighbour {
  ssid: string;
  band: WifiBand;
  channel: number;
  signal: number;
  security: AnnouncedSecurity;
}
/** Who else is on the air of the scenario; nobody knows their keys. */
const NEIGHBOURS: readonly Neighbour[] = [
  { ssid: 'Ferry House', band: '5 GHz', channel: 44, signal: -67, security: 'wpa3-sae' },
  { ssid: 'Ferry House staff', band: '5 GHz', channel: 44, signal: -68, security: 'enterprise' },
  { ssid: '', band: '2.4 GHz', channel: 11, signal: -74, security: 'wpa2-psk' },
  { ssid: 'Net loft', band: '2.4 GHz', channel: 1, signal: -79, security: 'wpa2-wpa3' },
  { ssid: 'Quay guests', band: '2.4 GHz', channel: 11, signal: -83, security: 'open' },
];

const bssid = (number: number): string => `02:00:5e:10:00:${number.toString(16).padStart(2, '0')}`;

const pointOf = (
  number: number,
  ssid: string,
  country: string,
  { band, channel, signal, security }: Omit<Neighbour, 'ssid'>,
): HeardPoint => ({
  bssid: bssid(number),
  ssidHex: hexOf(ssid),
  band,
  channel,
  mhz: BASE[band] + 5 * channel,
  signal,
  quality: null,
  security,
  country,
});

const pointsOf = ({ air }: OnAir, first: number): HeardPoint[] =>
  air.on
    ? air.bands
        .filter((band) => HEARS.includes(band))
        .map((band, at) =>
          pointOf(first + at, air.hidden ? '' : air.ssid, air.country, {
            band,
            channel: CHANNEL[band],
            signal: NEAR - 9 * at - first - air.carried,
            security: 'wpa2-psk',
          }),
        )
    : [];

/** The radio of the practice bench, which hears its networks and some neighbours. */
export class StandInRadio implements Radio {
  /** @param nets what is on the air now */
  constructor(private readonly nets: () => readonly OnAir[]) {}

  adapters(): ReturnType<Radio['adapters']> {
    return Promise.resolve([{ name: NAME, bands: [...HEARS], inUse: false, mayTry: '', asks: '' }]);
  }

  async look(_adapter: string, signal: AbortSignal): Promise<HeardPoint[]> {
    await this.wait(LISTENS, signal);
    const nets = this.nets();
    const { country = '', carried = 0 } = nets[0]?.air ?? {};
    return [
      ...nets.flatMap((net, at) => pointsOf(net, 1 + 4 * at)),
      ...NEIGHBOURS.map(({ ssid, ...one }, at) =>
        pointOf(32 + at, ssid, country, { ...one, signal: one.signal - carried }),
      ),
    ].filter((point) => (point.signal ?? 0) > FAINT);
  }

  async tryKey(_adapter: string, network: TriedNetwork, signal: AbortSignal): Promise<TrialEnd> {
    const net = this.nets().find(({ air }) => this.answers(air, network));
    if (!net) {
      const neighbour = NEIGHBOURS.find(
        ({ ssid, security }) => hexOf(ssid) === network.ssidHex && answersTo(network.security, security),
      );
      await this.wait(neighbour ? WRONG : NOT_FOUND, signal);
      if (neighbour?.security === 'open')
        return { verdict: 'right', signal: neighbour.signal, message: 'Joined: it is open to everybody.' };
      return neighbour
        ? { verdict: 'wrong-key', signal: null, message: 'The access point refuses the key.' }
        : { verdict: 'not-heard', signal: null, message: 'No access point of this name answers here.' };
    }
    const { air, pool, room } = net;
    if (!room) {
      await this.wait(JOINS, signal);
      return {
        verdict: 'full',
        signal: NEAR - air.carried,
        message: 'The access point says that it takes no more clients.',
      };
    }
    if (keyOf(air.ssid, air.passphrase) !== keyOf(air.ssid, network.key)) {
      // As real ones do, it says nothing for a while.
      await this.wait(WRONG, signal);
      return { verdict: 'wrong-key', signal: null, message: 'The access point refuses the key.' };
    }
    await this.wait(JOINS, signal);
    const address = pool.next;
    if (address !== null && air.apart)
      return {
        verdict: 'apart',
        signal: NEAR - air.carried,
        message: `Joined, and ${address} would be given; but nobody else answers there: it keeps its clients apart.`,
      };
    return address === null
      ? {
          verdict: 'no-address',
          signal: NEAR - air.carried,
          message: 'The key is right, but nobody gave an address: the pool may be used up.',
        }
      : { verdict: 'right', signal: NEAR - air.carried, message: `Joined, and ${address} would be given.` };
  }

  private answers(air: Air, { ssidHex, hidden, security }: TriedNetwork): boolean {
    return (
      air.on &&
      hexOf(air.ssid) === ssidHex &&
      (!air.hidden || hidden) &&
      NEAR - air.carried > FAINT &&
      air.bands.some((band) => HEARS.includes(band)) &&
      answersTo(security, 'wpa2-psk')
    );
  }

  private async wait(milliseconds: number, signal: AbortSignal): Promise<void> {
    await pause(milliseconds, undefined, { signal }).catch(() => {
      throw new RadioError('stopped', 'It was stopped.');
    });
  }
}
