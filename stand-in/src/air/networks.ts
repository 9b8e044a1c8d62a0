import type { Air } from '@nest-mark/core/api';
import type { ListenPlace } from '@nest-mark/station/ports';
import type { BoardSettings } from '../board/settings';
import { AddressPool, type Leases, refuseBoard } from './access-point';
import { placeOn } from './place';

type Saved = BoardSettings['radio']['networks'][number];

/** A network that is or was on the air, with who is on it. */
export class OnAir {
  readonly pool: AddressPool;
  /** Hardware addresses of those that are on it. */
  private readonly clients = new Set<string>();

  /**
   * @param read what is true of it now
   * @param leases what its address server remembers
   * @param changed called when that changes
   * @param counted called when somebody came or went
   */
  constructor(
    private readonly read: () => Air,
    leases?: Leases,
    changed?: () => void,
    private readonly counted: () => void = () => undefined,
  ) {
    this.pool = new AddressPool(read, leases, changed);
  }

  join(hardwareAddress: string): void {
    this.clients.add(hardwareAddress);
    this.counted();
  }

  leave(hardwareAddress: string): void {
    this.clients.delete(hardwareAddress);
    this.counted();
  }

  /** Whether nobody is on it. */
  get lonely(): boolean {
    return this.clients.size === 0;
  }

  /** Whether it takes one more client. */
  get room(): boolean {
    const { clients } = this.air;
    return clients === null || this.clients.size < clients;
  }

  get air(): Air {
    return this.read();
  }

  get place(): ListenPlace {
    return placeOn(this.air);
  }

  /** Why a board is not let in by what it has saved; null where it may join. */
  refuses(settings: BoardSettings, hardwareAddress: string): string | null {
    const refusal = refuseBoard(this.air, settings);
    if (refusal !== null) return refusal;
    const { clients } = this.air;
    return clients !== null && !this.clients.has(hardwareAddress) && this.clients.size >= clients
      ? `“${this.air.ssid}” takes ${String(clients)} clients, and they are there`
      : null;
  }
}

/** The same board, with only some of its networks. */
const only = (settings: BoardSettings, networks: readonly Saved[]): BoardSettings => ({
  ...settings,
  radio: { ...settings.radio, networks: [...networks] },
});

/**
 * Where a board goes by itself: of its saved networks that let it in, the one with the highest priority (nm-settings(5),
 * autoconnect-priority). @returns the network, or why there is none
 */
export function joinedBy(
  nets: readonly OnAir[],
  settings: BoardSettings,
  saved: readonly Saved[],
  hardwareAddress: string,
): OnAir | string {
  for (const network of [...saved].sort((a, b) => b.priority - a.priority))
    for (const net of nets)
      if (net.air.ssid === network.ssid && net.refuses(only(settings, [network]), hardwareAddress) === null)
        return net;
  // Whoever has none is told by the network that it would most likely be on.
  const likely = nets.find(({ air }) => air.on && saved.some(({ ssid }) => ssid === air.ssid)) ?? nets[0];
  return likely?.refuses(only(settings, saved), hardwareAddress) ?? 'there is no network on the air';
}
