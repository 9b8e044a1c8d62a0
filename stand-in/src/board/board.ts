import { refuseBoard, type AddressPool } from '../air/access-point';
import type { Air } from '@nest-mark/core/api';
import { startLoginService } from './login-service';
import { BootFailure, type BoardSettings } from './settings';

export type BoardPhase = 'off' | 'starting' | 'offline' | 'online';

/** What somebody with a screen on the board would see. */
export interface BoardView {
  phase: BoardPhase;
  /** Why it is not on the network; nobody sees this at a headless board. */
  reason: string;
  address: string | null;
  hostName: string | null;
}

/** A powered board: waits for its boot time, reads its card, joins the network, opens its login service. */
export class RunningBoard {
  view: BoardView = { phase: 'starting', reason: '', address: null, hostName: null };
  private timer: NodeJS.Timeout;
  private stopService: (() => Promise<void>) | null = null;
  private off = false;
  private booting: Promise<void> = Promise.resolve();

  constructor(
    private readonly hardwareAddress: string,
    private readonly readSettings: () => Promise<BoardSettings>,
    private readonly air: () => Air,
    private readonly pool: AddressPool,
    bootSeconds: number,
    private readonly changed: () => void,
  ) {
    this.timer = setTimeout(() => {
      this.booting = this.boot();
    }, bootSeconds * 1000);
  }

  private async boot(): Promise<void> {
    try {
      const settings = await this.readSettings();
      this.view = { ...this.view, hostName: settings.hostName };
      const air = this.air();
      const refusal = refuseBoard(air, settings);
      if (refusal) throw new BootFailure(refusal);
      const address = this.pool.lease(this.hardwareAddress);
      if (!address) throw new BootFailure('the address server has no address left');
      if (!settings.loginService)
        throw new BootFailure(`it is on the network as ${address}, but its login service is off`);
      const stop = await startLoginService(settings, address, air.port);
      if (this.off) return await stop();
      this.stopService = stop;
      this.view = { ...this.view, phase: 'online', address, reason: settings.ignored.join('; ') };
    } catch (error) {
      this.view = {
        ...this.view,
        phase: 'offline',
        reason: error instanceof Error ? error.message : String(error),
      };
    }
    this.changed();
  }

  /** Cuts the power. */
  async powerOff(): Promise<void> {
    this.off = true;
    clearTimeout(this.timer);
    await this.booting;
    await this.stopService?.();
    this.stopService = null;
  }
}
