import { ChangeDetectionStrategy, Component, computed, effect, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { clock, yourTurn } from '@nest-mark/core';
import { Clock } from '../state/clock';
import { selectFindings } from '../state/selectors';
import { selectPractice } from '../state/station.reducer';
import { Layout } from './layout';
import { selectTurnFacts } from './turn-facts';
import { TurnHands } from './turn-hands';
import { WindowTitle } from './window-title';

/** What is your turn, in one line, with a button that does it or goes there; and how much room things beside the work take. */
@Component({
  selector: 'nm-your-turn',
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './your-turn.html',
  styleUrl: './your-turn.css',
})
export class YourTurn {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  protected readonly hands = inject(TurnHands);
  private readonly facts = this.store.selectSignal(selectTurnFacts);
  private readonly findings = this.store.selectSignal(selectFindings);
  protected readonly layout = inject(Layout);

  protected readonly practice = this.store.selectSignal(selectPractice);
  private readonly turn = computed(() => yourTurn(this.facts(), this.clock.now()));
  /** It changes only when something happens, so that it is spoken once. */
  protected readonly say = computed(() => this.turn().say);
  protected readonly wanted = computed(() => this.turn().act !== null || this.facts().arming > 0);
  protected readonly label = computed(() => {
    const { act, count } = this.turn();
    return act === null ? '' : this.hands.label(act, count);
  });
  /** The time of day until which nothing is needed; minutes are enough where it is far off. */
  protected readonly until = computed(() => {
    const { until } = this.turn();
    if (until === null || this.wanted()) return '';
    return new Date(until).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
  });
  protected readonly meanwhile = computed(() => {
    const { meanwhile, until } = this.turn();
    if (meanwhile === '' || until === null) return meanwhile;
    const left = clock(Math.max(0, until - this.clock.now()) / 1000);
    return meanwhile.includes(', ') ? `${meanwhile}; the first in ${left}` : `${meanwhile}, ${left} left`;
  });
  protected readonly found = computed(() => {
    const all = this.findings();
    return { count: all.length, stops: all.some(({ severity }) => severity === 'stops') };
  });

  constructor() {
    const title = inject(WindowTitle);
    effect((onCleanup) => {
      title.setTurn(this.say());
      onCleanup(() => title.setTurn(''));
    });
  }

  protected do(): void {
    const { act } = this.turn();
    if (act !== null) void this.hands.do(act);
  }
}
