import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { Store } from '@ngrx/store';
import { counted, countHearing, listed, shownLevel, type WifiBand } from '@nest-mark/core';
import {
  announcedTitles,
  bandsOf,
  cannotTake,
  channelsOf,
  isWeak,
  securitiesOf,
  shownName,
  type HeardNetwork,
} from '@nest-mark/core/in-air';
import { Button } from 'primeng/button';
import { batchFeature } from '../state/batch.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { networksFeature } from '../state/networks.reducer';
import { moment } from '../ui/moment';
import { AirActions, airFeature } from './air.reducer';

/** What is on the air, to choose from. */
@Component({
  selector: 'nm-air-list',
  imports: [Button],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './air-list.html',
  styleUrl: './air-list.css',
})
export class AirList {
  private readonly store = inject(Store);
  private readonly view = this.store.selectSignal(airFeature.selectView);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly onShelf = this.store.selectSignal(networksFeature.selectNames);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  /** What the button of a row says. */
  readonly label = input.required<string>();
  readonly chosen = output<HeardNetwork>();
  /** Whether what is on the shelf is told to be there rather than offered. */
  readonly skipShelved = input(false);
  protected readonly looking = this.store.selectSignal(airFeature.selectLooking);
  protected readonly problem = this.store.selectSignal(airFeature.selectProblem);
  protected readonly adapter = this.store.selectSignal(airFeature.selectAdapter);
  protected readonly adapters = computed(() => this.view()?.adapters ?? []);
  protected readonly read = computed(() => this.view() !== null);
  protected readonly why = computed(() => this.view()?.problem ?? '');
  protected readonly lookedAt = computed(() => {
    const look = this.view()?.look;
    return look ? `Heard at ${moment(look.at)} with ${look.adapter}.` : '';
  });

  protected readonly rows = computed(() =>
    (this.view()?.look?.networks ?? []).map((heard) => {
      const [loudest] = heard.points;
      return {
        heard,
        name: heard.ssidHex === '' ? 'hidden' : shownName(heard.ssidHex),
        named: heard.ssidHex !== '',
        digits: heard.text === null && heard.ssidHex !== '',
        alike: listed(heard.lookAlikes.map((name) => `“${name}”`)),
        where: channelsOf(heard)
          .map(({ band, channel }) => `${band}, channel ${String(channel)}`)
          .join('; '),
        points: heard.points.length > 1 ? counted(heard.points.length, 'access point') : '',
        signal:
          loudest?.signal != null
            ? shownLevel(loudest.signal)
            : `${String(Math.round(loudest?.quality ?? 0))} %`,
        security: securitiesOf(heard)
          .map((one) => announcedTitles[one])
          .join(', '),
        country: listed([...new Set(heard.points.map(({ country }) => country).filter((one) => one !== ''))]),
        hear: heard.ssidHex === '' ? { text: '', some: false } : this.hearing(bandsOf(heard)),
        weak: isWeak(heard),
        shelved: this.skipShelved() && this.onShelf().has(heard.ssidHex),
        cannot: cannotTake(heard),
      };
    }),
  );

  constructor() {
    this.store.dispatch(AirActions.viewAsked());
  }

  protected listen(): void {
    const adapter = this.adapter();
    if (adapter) this.store.dispatch(AirActions.lookWanted({ adapter: adapter.name }));
  }

  protected choose(name: string): void {
    this.store.dispatch(AirActions.adapterChosen({ name }));
  }

  /** How many boards of the open plan hear these bands. */
  private hearing(bands: WifiBand[]): { text: string; some: boolean } {
    const plan = this.plan();
    if (!plan || plan.devices.length === 0) return { text: '', some: false };
    const all = plan.devices.length;
    const count = countHearing(plan, this.boards(), bands);
    return count === all
      ? { text: `all ${String(all)}`, some: false }
      : { text: `${String(count)} of ${counted(all, 'board')}`, some: true };
  }
}
