import { pbkdf2Sync } from 'node:crypto';
import type { Air } from '@nest-mark/core/api';
import type { BoardSettings } from '../board/settings';

/** 64 digits are the key itself, anything else is a passphrase (IEEE Std 802.11-2020 annex J.4). */
export const keyOf = (ssid: string, password: string): string =>
  /^[0-9a-f]{64}$/i.test(password)
    ? password.toLowerCase()
    : pbkdf2Sync(password, ssid, 4096, 32, 'sha1').toString('hex');

/** Bands of a practice board's radio; many small boards have this one only (common practice). */
const HEARS: readonly string[] = ['2.4 GHz'];

/** Why a board is not on the air, or null when it may join. */
export function refuseBoard(air: Air, { radio }: BoardSettings): string | null {
  if (!air.on) return 'the access point is off';
  if (!radio.country) return 'its radio stays off, since no country is set';
  if (radio.country !== air.country)
    return `its country is ${radio.country}, the access point’s ${air.country}`;
  if (!air.bands.some((band) => HEARS.includes(band)))
    return `the network is sent on ${air.bands.join(', ')} only, and its radio hears ${HEARS.join(', ')}`;
  const network = radio.networks.find((candidate) => candidate.ssid === air.ssid);
  if (!network)
    return `it looks for ${radio.networks.map(({ ssid }) => `"${ssid}"`).join(', ') || 'no network'}, which is not on the air`;
  if (air.hidden && !network.hidden) return `"${air.ssid}" hides its name, and the card does not say so`;
  if (network.password === null)
    return 'it takes the network for an open one, and the access point wants a key';
  return keyOf(network.ssid, network.password) === keyOf(air.ssid, air.passphrase)
    ? null
    : 'the access point refuses its key';
}

/** Last parts of addresses from here on are not given out: somebody listens there. */
const POOL_END = 254;

/** What an address server remembers: addresses by hardware address. */
export type Leases = Record<string, string>;

/** Gives out addresses by hardware address and keeps them, as an address server does. */
export class AddressPool {
  /**
   * @param leases what it remembers from before, which is kept up to date
   * @param changed called when it remembers something else
   */
  constructor(
    private readonly air: () => Air,
    private readonly leases: Leases = {},
    private readonly changed: () => void = () => undefined,
  ) {}

  private get all(): string[] {
    const { network, poolStart, poolSize } = this.air();
    return Array.from(
      { length: Math.max(0, Math.min(poolSize, POOL_END - poolStart)) },
      (_, at) => `${network}.${String(poolStart + at)}`,
    );
  }

  /** Who is not known would be given this one; null when the pool is used up. Nothing is given by asking. */
  get next(): string | null {
    const taken = new Set(Object.values(this.leases));
    return this.all.find((address) => !taken.has(address)) ?? null;
  }

  /** An address, the earlier one if it is known; null when the pool is used up. */
  lease(hardwareAddress: string): string | null {
    const { all } = this;
    const known = this.leases[hardwareAddress];
    if (known !== undefined && all.includes(known)) return known;
    this.forget(hardwareAddress);
    const free = this.next;
    if (free !== null) this.leases[hardwareAddress] = free;
    this.changed();
    return free;
  }

  /** Forgets all leases, as after a change of network. */
  clear(): void {
    for (const hardwareAddress of Object.keys(this.leases)) this.forget(hardwareAddress);
    this.changed();
  }

  /** Hardware addresses by address. */
  table(): Map<string, string> {
    return new Map(
      Object.entries(this.leases).map(([hardwareAddress, address]) => [address, hardwareAddress]),
    );
  }

  private forget(hardwareAddress: string): void {
    Reflect.deleteProperty(this.leases, hardwareAddress);
  }
}
