import { refuseBoard, type AddressPool } from '../air/access-point';
import type { Air } from '@nest-mark/core/api';
import { addressRequest, announcement, say, type Speaker } from '../air/voice';
import type { ListenPlace } from '@nest-mark/station/ports';
import { callBench } from './call-bench';
import { startLoginService } from './login-service';
import type { BoardFault } from '../drill/state';
import { markToldBy } from './own-service';
import { BootFailure, type BoardSettings } from './settings';
import { startFault } from './start-fault';

export type BoardPhase = 'off' | 'starting' | 'offline' | 'online';

/** What somebody with a screen on the board would see. */
export interface BoardView {
  phase: BoardPhase;
  /** Why it is not on the network; nobody sees this at a headless board. */
  reason: string;
  address: string | null;
  hostName: string | null;
}

/** Milliseconds after which a board announces itself (RFC 6762 section 8.3: at least twice, a second apart). */
const ANNOUNCE_AT = [0, 1000, 4000] as const;
/** Milliseconds after which a board asks for an address again that got none. */
const ASK_AGAIN = 3000;

/** A powered board: waits for its boot time, reads its card, joins the network, opens its login service. */
export class RunningBoard {
  /** Its address, from the time on at which it is really on the network. */
  joined: string | null = null;
  view: BoardView = { phase: 'starting', reason: '', address: null, hostName: null };
  private timer: NodeJS.Timeout | undefined;
  private stopService: (() => Promise<void>) | null = null;
  private stopCalling: (() => void) | null = null;
  private off = false;
  private asking: NodeJS.Timeout | undefined;
  private readonly voice: NodeJS.Timeout[] = [];
  private booting: Promise<void> = Promise.resolve();

  constructor(
    private readonly hardwareAddress: string,
    private readonly readSettings: () => Promise<BoardSettings>,
    private readonly air: () => Air,
    private readonly pool: AddressPool,
    bootSeconds: number,
    private readonly place: () => ListenPlace,
    private readonly changed: () => void,
    private readonly fault: BoardFault | null = null,
  ) {
    // One that takes its time is still at it when its fault is mended.
    if (fault === 'still-booting') return;
    this.timer = setTimeout(() => {
      this.booting = this.boot();
    }, bootSeconds * 1000);
  }

  private async boot(): Promise<void> {
    try {
      const failure = startFault(this.fault);
      if (failure !== null) throw new BootFailure(failure);
      const settings = await this.readSettings();
      if (this.fault === 'login-off') settings.loginService = false;
      // An older card of the same name: its key is one of its own making.
      if (this.fault === 'other-card') Object.assign(settings, { hostKey: null, files: [], calls: [] });
      this.view = { ...this.view, hostName: settings.hostName };
      const air = this.air();
      const refusal = refuseBoard(air, settings);
      if (refusal) throw new BootFailure(refusal);
      const speaker = {
        hostName: settings.hostName,
        hardwareAddress: this.hardwareAddress,
        mark: markToldBy(settings.files),
      };
      const address = this.pool.lease(this.hardwareAddress);
      if (air.apart || air.elsewhere)
        throw new BootFailure(
          address === null
            ? 'the address server has no address left'
            : `it is on the network as ${address}, and this computer cannot reach it there`,
        );
      this.askForAddress(speaker, address);
      if (!address) throw new BootFailure('the address server has no address left');
      this.joined = address;
      this.announce(speaker, address);
      if (!settings.loginService)
        throw new BootFailure(`it is on the network as ${address}, but its login service is off`);
      const stop = await startLoginService(settings, address, air.port);
      if (this.off) return await stop();
      this.stopService = stop;
      this.stopCalling = callBench(settings.calls, address, air.network);
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

  /** Asks around, and then for what it was offered; where nothing was, again and again, as real boards do. */
  private askForAddress(speaker: Speaker, offered: string | null): void {
    const { requests } = this.place();
    say(addressRequest(speaker, null), requests);
    if (offered !== null) {
      say(addressRequest(speaker, offered), requests);
      return;
    }
    this.asking = setInterval(() => say(addressRequest(speaker, null), requests), ASK_AGAIN);
  }

  private announce(speaker: Speaker, address: string): void {
    const { announcements } = this.place();
    for (const after of ANNOUNCE_AT)
      this.voice.push(setTimeout(() => say(announcement(speaker, address, 120), announcements), after));
  }

  /** Cuts the power. */
  async powerOff(): Promise<void> {
    this.off = true;
    clearTimeout(this.timer);
    await this.booting;
    clearInterval(this.asking);
    this.voice.forEach(clearTimeout);
    this.stopCalling?.();
    await this.stopService?.();
    this.stopService = null;
  }
}
