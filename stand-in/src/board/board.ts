import { joinedBy, type OnAir } from '../air/networks';
import type { SystemFault } from '@nest-mark/core/api';
import { addressRequest, announcement, say, type Speaker } from '../air/voice';
import { callBench } from './call-bench';
import { openScreen } from './screen-service';
import { startLoginService, type LoginService } from './login-service';
import type { BoardFault } from '../drill/state';
import { ownKey } from './own-key';
import { markToldBy } from './own-service';
import { BootFailure, type BoardSettings } from './settings';
import type { SavedNetwork } from './keyfile';
import type { BoardOrder, BoardSystem } from '../system/board-system';
import { mended, spoils } from '../system/spoils';
import { startFault } from './start-fault';

type BoardPhase = 'off' | 'starting' | 'offline' | 'online';

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
/** Milliseconds by which a board on a bad line answers later. */
const SLOW_MS = 700;
/** Milliseconds after which a board asks for an address again that got none. */
const ASK_AGAIN = 3000;

/** Makes a board's system, of what its card says, and is told what its programs ask for. */
export type SystemOf = (settings: BoardSettings, ordered: (order: BoardOrder) => void) => BoardSystem | null;

/** A powered board: waits for its boot time, reads its card, joins the network, opens its login service. */
export class RunningBoard {
  /** Its address, from the time on at which it is really on the network. */
  joined: string | null = null;
  view: BoardView = { phase: 'starting', reason: '', address: null, hostName: null };
  private timer: NodeJS.Timeout | undefined;
  private service: LoginService | null = null;
  /** The network that it is on. */
  private net: OnAir | null = null;
  private settings: BoardSettings | null = null;
  /** Closes its screen to the network, while that is open. */
  private screen: (() => Promise<void>) | null = null;
  /** One change of it after the other. */
  private screening = Promise.resolve();
  private stopCalling: (() => void) | null = null;
  private system: BoardSystem | null = null;
  /** Whether somebody made it another host key, which counts from its next start on. */
  private keyLost = false;
  private off = false;
  private asking: NodeJS.Timeout | undefined;
  private readonly voice: NodeJS.Timeout[] = [];
  private booting: Promise<void> = Promise.resolve();

  constructor(
    private readonly hardwareAddress: string,
    private readonly readSettings: () => Promise<BoardSettings>,
    private readonly nets: () => readonly OnAir[],
    private readonly bootSeconds: number,
    private readonly changed: () => void,
    private readonly fault: BoardFault | null = null,
    /** Its system, where it can have one that runs commands. */
    private readonly systemOf: SystemOf | null = null,
    /** What is wrong with its system once it has started. */
    private spoilt: SystemFault | null = null,
  ) {
    // One that takes its time is still at it when its fault is mended.
    if (fault === 'still-booting') return;
    this.startAfter(bootSeconds);
  }

  private startAfter(seconds: number): void {
    this.timer = setTimeout(() => {
      this.booting = this.boot();
    }, seconds * 1000);
  }

  /** Does what a program on the board asked for. */
  private async ordered(order: BoardOrder): Promise<void> {
    if (typeof order !== 'string') {
      this.booting = this.booting.then(() => this.connect(order.join));
      return this.booting;
    }
    await this.booting;
    if (this.off || this.system === null) return;
    await this.shutDown();
    const phase = order === 'reboot' ? ('starting' as const) : ('offline' as const);
    const reason = order === 'reboot' ? '' : 'it was shut down: its power can be cut';
    this.view = { phase, reason, address: null, hostName: this.view.hostName };
    this.changed();
    if (this.spoilt === 'key-changed') this.keyLost = true;
    if (order === 'reboot' && this.spoilt !== 'never-returns') this.startAfter(this.bootSeconds);
  }

  /** Goes onto a saved network because a program asked for it; where that fails, onto the best one that there is. */
  private async connect(uuid: string): Promise<void> {
    const { system, settings } = this;
    if (this.off || system === null || settings === null) return;
    const wanted = (await system.savedNetworks()).find((one) => one.uuid === uuid);
    await this.leaveNetwork();
    const { there, why } = wanted
      ? await this.joins(settings, [wanted])
      : { there: false, why: 'there is no such profile' };
    if (!there) {
      await this.leaveNetwork();
      await this.comesBack();
    } else if (why !== '') this.view = { ...this.view, phase: 'offline', address: null, reason: why };
    await system.does('echo "$1 $2" >>/run/board/joined', uuid, there ? 'ok' : 'no');
    this.changed();
  }

  /** Looks for a network of those that start by themselves. */
  private async comesBack(): Promise<void> {
    const { system, settings } = this;
    if (this.off || settings === null || this.net !== null) return;
    const saved = (await system?.savedNetworks())?.filter(({ auto }) => auto) ?? settings.radio.networks;
    const { why } = await this.joins(settings, saved);
    if (why !== '') this.view = { ...this.view, phase: 'offline', address: null, reason: why };
  }

  /** The air has changed: who is on a network that is gone looks for another one, and who is on none tries again. */
  airChanged(): void {
    this.booting = this.booting.then(async () => {
      if (this.off || this.settings === null || this.system === null) return;
      if (this.net !== null && (!this.net.air.on || !this.nets().includes(this.net)))
        await this.leaveNetwork();
      await this.comesBack();
      this.changed();
    });
  }

  /** Cuts the logins that there are, as a bad line does. */
  cutLines(): void {
    this.service?.cut();
  }

  /** Brings about what is wrong with its system, or puts it right. */
  async spoil(fault: SystemFault | null): Promise<void> {
    this.spoilt = fault;
    const { system } = this;
    if (system) await system.does(fault === null ? mended : spoils[fault]).catch(() => undefined);
    await this.showScreen();
  }

  /** Opens its screen to the network where that is its fault, and closes it where it is not. */
  private showScreen(): Promise<void> {
    this.screening = this.screening.then(async () => {
      const wanted = this.spoilt === 'open-screen' && this.service !== null ? this.joined : null;
      if (wanted !== null) {
        this.screen ??= await openScreen(wanted);
        return;
      }
      await this.screen?.();
      this.screen = null;
    });
    return this.screening;
  }

  /** Leaves its network; what runs on it goes on. */
  private async leaveNetwork(): Promise<void> {
    clearInterval(this.asking);
    this.voice.forEach(clearTimeout);
    this.stopCalling?.();
    const { service, net } = this;
    this.service = null;
    this.net = null;
    this.joined = null;
    net?.leave(this.hardwareAddress);
    await this.showScreen();
    await service?.stop();
  }

  /** Ends all that runs on it. */
  private async shutDown(): Promise<void> {
    const { system } = this;
    this.system = null;
    await this.leaveNetwork();
    await system?.down();
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
      if (this.keyLost) settings.hostKey = ownKey();
      this.settings = settings;
      const system =
        this.fault === 'other-card'
          ? null
          : (this.systemOf?.(settings, (order) => void this.ordered(order)) ?? null);
      this.system = system;
      // One that has started before goes by what it has saved since.
      const saved: SavedNetwork[] | null = system?.made === true ? await system.savedNetworks() : null;
      const { why } = await this.joins(
        settings,
        saved?.filter(({ auto }) => auto) ?? settings.radio.networks,
        true,
      );
      if (why !== '') throw new BootFailure(why);
    } catch (error) {
      this.view = {
        ...this.view,
        phase: 'offline',
        reason: error instanceof Error ? error.message : String(error),
      };
    }
    this.changed();
  }

  /**
   * Joins the best of some saved networks.
   * @param fresh whether it has just started
   * @returns whether it has an address there, and why nobody can log in to it; empty where somebody can
   */
  private async joins(
    settings: BoardSettings,
    saved: BoardSettings['radio']['networks'],
    fresh = false,
  ): Promise<{ there: boolean; why: string }> {
    const net = joinedBy(this.nets(), settings, saved, this.hardwareAddress);
    if (typeof net === 'string') return { there: false, why: net };
    const without = 'the address server has no address left';
    const { air, pool } = net;
    const speaker = {
      hostName: settings.hostName,
      hardwareAddress: this.hardwareAddress,
      mark: markToldBy(settings.files),
    };
    const address = pool.lease(this.hardwareAddress);
    net.join(this.hardwareAddress);
    this.net = net;
    await this.system?.isOn(air.ssid);
    if (air.apart || air.elsewhere)
      return address === null
        ? { there: false, why: without }
        : {
            there: true,
            why: `it is on the network as ${address}, and this computer cannot reach it there`,
          };
    this.askForAddress(speaker, address);
    if (!address) return { there: false, why: without };
    this.joined = address;
    this.announce(speaker, address);
    if (!settings.loginService)
      return { there: true, why: `it is on the network as ${address}, but its login service is off` };
    // It is so before anybody can look.
    if (fresh && this.spoilt) await this.spoil(this.spoilt);
    const service = await startLoginService(
      settings,
      address,
      air.port,
      this.system,
      () => (this.spoilt === 'slow-line' ? SLOW_MS : 0),
      () => settings.passwordLogin || this.spoilt === 'open-password',
    );
    if (this.off) {
      await service.stop();
      return { there: true, why: '' };
    }
    this.service = service;
    await this.showScreen();
    if (fresh) this.stopCalling = callBench(settings.calls, address, air.network);
    this.view = { ...this.view, phase: 'online', address, reason: settings.ignored.join('; ') };
    return { there: true, why: '' };
  }

  /** Asks around, and then for what it was offered; where nothing was, again and again, as real boards do. */
  private askForAddress(speaker: Speaker, offered: string | null): void {
    if (!this.net) return;
    const { requests } = this.net.place;
    say(addressRequest(speaker, null), requests);
    if (offered !== null) {
      say(addressRequest(speaker, offered), requests);
      return;
    }
    this.asking = setInterval(() => say(addressRequest(speaker, null), requests), ASK_AGAIN);
  }

  private announce(speaker: Speaker, address: string): void {
    if (!this.net) return;
    const { announcements } = this.net.place;
    for (const after of ANNOUNCE_AT)
      this.voice.push(setTimeout(() => say(announcement(speaker, address, 120), announcements), after));
  }

  /** Cuts the power. */
  async powerOff(): Promise<void> {
    this.off = true;
    clearTimeout(this.timer);
    await this.booting;
    await this.shutDown();
  }
}
