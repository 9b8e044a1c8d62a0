import {
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  signal,
  type OnDestroy,
  type OnInit,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { boardsByBands, isSure, shownLevel } from '@nest-mark/core';
import { LoginWaySchema, type ListenAt, type LoginWay } from '@nest-mark/core/api';
import { boardsWith, walked } from '@nest-mark/core/in-air';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { AirActions, airFeature } from '../air/air.reducer';
import { batchFeature } from '../state/batch.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { networksFeature } from '../state/networks.reducer';
import { selectDeviceViews } from '../state/selectors';
import { loginTitles } from '../ui/login-titles';
import { moment } from '../ui/moment';
import { SignalActions, signalFeature } from './signal.reducer';
import { SignalChart } from './signal-chart';

/** How an expectation is marked: by shape as well as by colour. */
const signs = { sound: 'well', fair: 'wait', weak: 'hand', none: 'hand', unknown: 'work' } as const;

/** How strongly the plan's networks are heard where the boards will be, noted on a walk. */
@Component({
  selector: 'nm-signal-page',
  imports: [Button, FormsModule, InputText, Select, SignalChart],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './signal-page.html',
  styleUrls: ['../ui/sheets.css', './signal-page.css'],
})
export class SignalPage implements OnInit, OnDestroy {
  private readonly store = inject(Store);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly air = this.store.selectSignal(airFeature.selectView);
  private readonly view = this.store.selectSignal(signalFeature.selectView);
  protected readonly problem = this.store.selectSignal(signalFeature.selectProblem);
  protected readonly listening = this.store.selectSignal(signalFeature.selectListening);
  protected readonly read = computed(() => this.view() !== null && this.air() !== null);
  protected readonly place = signal('');
  private readonly chosen = signal<string | null>(null);
  private readonly login = signal<LoginWay | null>(null);
  protected readonly ways = LoginWaySchema.options.map((way) => ({ way, title: loginTitles[way] }));
  protected readonly way = computed(
    () => this.login() ?? (this.plan()?.bringUp.benchKey ? 'bench-key' : 'agent'),
  );
  private readonly planned = computed(() => new Set(this.plan()?.networks.map(({ networkId }) => networkId)));
  protected readonly noNetwork = computed(() => this.planned().size === 0);
  protected readonly hidden = computed(() =>
    this.networks().some(({ id, hidden }) => hidden && this.planned().has(id)),
  );
  /** What can listen: adapters of this computer, then boards that are proved. */
  protected readonly sensors = computed(() => [
    ...(this.air()?.adapters ?? []).map(({ name }) => ({
      id: `adapter ${name}`,
      label: `this computer’s ${name}`,
    })),
    ...this.views()
      .filter(({ facts }) => isSure(facts.seen))
      .map(({ device }) => ({
        id: `board ${device.id}`,
        label: `${device.hostName} · ${device.nest}, a board`,
      })),
  ]);
  protected readonly sensor = computed(() => {
    const all = this.sensors();
    return all.find(({ id }) => id === this.chosen())?.id ?? all[0]?.id ?? null;
  });
  protected readonly byBoard = computed(() => this.sensor()?.startsWith('board ') ?? false);
  protected readonly places = computed(() => {
    const plan = this.plan();
    return plan
      ? walked(this.view()?.readings ?? [], boardsByBands(plan, this.boards()), this.planned())
      : [];
  });
  protected readonly rows = computed(() =>
    this.places().map(({ place, spots, expectations }) => ({
      place,
      expectations: expectations.map((one) => ({
        ...one,
        sign: signs[one.strength],
        who: boardsWith(one, this.plan()?.devices.length ?? 0),
      })),
      spots: spots.map(({ latest, strength, count, range }) => ({
        id: latest.id,
        network: latest.network,
        band: latest.band,
        level: shownLevel(latest.dbm, latest.about),
        hand: strength === 'weak' || strength === 'none',
        range:
          count > 1 && range
            ? `${shownLevel(range.low)} to ${shownLevel(range.high)} in ${String(count)} readings`
            : '',
        by: latest.sensorName,
        when: moment(latest.at),
      })),
    })),
  );
  /** Place that somebody is asked about before it is taken off. */
  protected readonly leaving = signal<string | null>(null);

  constructor() {
    this.store.dispatch(AirActions.viewAsked());
  }

  ngOnInit(): void {
    this.store.dispatch(SignalActions.lookedAt());
  }

  ngOnDestroy(): void {
    this.store.dispatch(SignalActions.lookedAway());
  }

  protected choose(id: string): void {
    this.chosen.set(id);
  }

  protected chooseWay(way: LoginWay): void {
    this.login.set(way);
  }

  protected listen(): void {
    const [kind, id = ''] = this.sensor()?.split(' ') ?? [];
    const place = this.place().trim();
    if (kind === undefined || place === '' || this.listening() !== null) return;
    const at: ListenAt =
      kind === 'adapter'
        ? { sensor: 'adapter', place, adapter: id }
        : { sensor: 'board', place, deviceId: id, way: this.way() };
    this.store.dispatch(SignalActions.listenWanted({ at }));
  }

  /** The name goes back into the form, to listen there again. */
  protected again(place: string): void {
    this.place.set(place);
    this.listen();
  }

  protected forget(place: string): void {
    this.leaving.set(null);
    this.store.dispatch(SignalActions.forgetWanted({ place }));
  }
}
