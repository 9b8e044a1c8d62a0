import type { Air } from '@nest-mark/core/api';
import { startLoginService, type LoginService } from '../board/login-service';
import { nobody } from '../board/settings';
import type { LabState } from '../state';
import { OnAir } from './networks';
import { Sleep } from './sleep';

/** Whom the networks of the bench tell what happens to them. */
export interface AirEars {
  /** What the address servers remember has changed. */
  remembers: () => void;
  /** Boards may have to go from one network to the other. */
  changed: () => void;
  /** The second network was alone for its time and is to go off. */
  fallsAsleep: () => void;
}

/** Access points answer on their networks too, as routers do: a stranger among the boards. */
const answerOn = ({ network, port }: Air): Promise<LoginService | null> =>
  startLoginService(nobody, `${network}.1`, port).catch(() => null);

/** The networks of the practice bench: the first, and the second while there is one, each with its access point. */
export class BenchAir {
  readonly first: OnAir;
  private second: OnAir | null = null;
  private firstPoint: LoginService | null = null;
  private secondPoint: LoginService | null = null;
  private readonly sleep = new Sleep(
    () =>
      this.state.other?.on === true && this.second?.lonely === true ? this.state.other.sleepsAfter : null,
    () => this.ears.fallsAsleep(),
  );

  constructor(
    private readonly state: Pick<LabState, 'air' | 'other' | 'leases'>,
    private readonly ears: AirEars,
  ) {
    this.first = new OnAir(
      () => this.state.air,
      state.leases.first,
      () => this.ears.remembers(),
    );
  }

  /** Those that there are. */
  get networks(): OnAir[] {
    return this.second ? [this.first, this.second] : [this.first];
  }

  /** Makes of the networks what the state says: access points begin and end, and so does the second network. */
  async settle(): Promise<void> {
    const { air, other } = this.state;
    if (air.elsewhere) {
      await this.firstPoint?.stop();
      this.firstPoint = null;
    } else this.firstPoint ??= await answerOn(air);
    if (!other) {
      await this.secondPoint?.stop();
      this.secondPoint = null;
      if (!this.second) return;
      this.second = null;
    } else {
      this.second ??= new OnAir(
        () => this.state.other ?? { ...other, on: false },
        this.state.leases.second,
        () => this.ears.remembers(),
        () => this.sleep.watch(),
      );
      this.secondPoint ??= await answerOn(other);
    }
    this.ears.changed();
    this.sleep.watch();
  }

  /** Puts the second network off, if its time is still up. @returns whether it did */
  async goOff(): Promise<boolean> {
    if (!this.sleep.near || !this.state.other) return false;
    this.state.other.on = false;
    await this.settle();
    return true;
  }

  /** Nothing goes off by itself any more. */
  stay(): void {
    this.sleep.end();
  }

  async close(): Promise<void> {
    await this.firstPoint?.stop();
    await this.secondPoint?.stop();
  }
}
