import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  everyFeed,
  feedBoards,
  longestCable,
  ohmsPerMetre,
  type Cable,
  type Feed,
  type FeedStanding,
  type Peripheral,
  type PowerPlan,
  type Supply,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { boardsFeature } from '../state/boards.reducer';
import { Field } from '../ui/field';
import { CableChart } from './cable-chart';
import { bounded } from './numeric';
import { PlanEditor } from './plan-editor';

const words: Record<FeedStanding, string> = {
  fits: 'fits',
  tight: 'below the margin',
  over: 'too much',
  unknown: 'current not known',
};

/** Resistance as a unit that people read. */
const milliohms = (ohms: number): string => `${(ohms * 1000).toPrecision(3)} mΩ`;

/** Supplies against what hangs on them, port by port, and what the cable leaves at the board. */
@Component({
  selector: 'nm-power-part',
  imports: [Button, CableChart, Field, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './power-part.html',
  styleUrls: ['./panel.css', './power-part.css'],
})
export class PowerPart {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  protected readonly words = words;
  protected readonly power = computed(() => this.editor.plan().power);
  protected readonly fed = computed(() => feedBoards(this.editor.plan(), this.boards()));
  /** Boards on supplies of their own, those of one kind together. */
  protected readonly groups = computed(() => {
    const groups = new Map<string, { feed: Feed; names: string[] }>();
    for (const feed of this.fed().single) {
      const key = `${String(feed.amps)}|${String(feed.rating)}`;
      const group = groups.get(key);
      if (group) group.names.push(feed.device.hostName);
      else groups.set(key, { feed, names: [feed.device.hostName] });
    }
    return [...groups.values()];
  });
  /** The board that draws most decides about the cable. */
  protected readonly worst = computed(() => {
    const known = everyFeed(this.fed()).filter(({ amps, minVolts }) => amps !== null && minVolts !== null);
    const [first] = known.sort((a, b) => (b.amps ?? 0) - (a.amps ?? 0));
    return first ? { amps: first.amps ?? 0, minVolts: first.minVolts ?? 0, volts: first.volts ?? 0 } : null;
  });
  protected readonly longest = computed(() => {
    const worst = this.worst();
    return worst ? longestCable(this.power().cable, worst.amps, worst.minVolts) : null;
  });
  protected readonly wire = computed(() =>
    milliohms(ohmsPerMetre(this.power().cable.awg, this.power().cable.celsius)),
  );

  protected amps(value: number | null): string {
    return value === null ? '?' : `${value.toFixed(2)} A`;
  }

  protected volts(value: number | null): string {
    return value === null ? '?' : `${value.toFixed(2)} V`;
  }

  protected cable(field: keyof Cable, value: unknown, least: number, most: number): void {
    const number = bounded(value, least, most);
    if (number !== null && (field !== 'awg' || Number.isInteger(number)))
      this.set({ cable: { ...this.power().cable, [field]: number } }, `power.cable.${field}`);
  }

  protected margin(value: unknown): void {
    const marginPercent = bounded(value, 0, 90);
    if (marginPercent !== null) this.set({ marginPercent }, 'power.marginPercent');
  }

  protected addSupply(): void {
    const supply: Supply = {
      id: crypto.randomUUID().slice(0, 8),
      title: 'Supply with 6 sockets',
      count: 1,
      ports: [3, 3, 3, 3, 3, 3],
      totalAmps: 12,
    };
    this.set({ supplies: [...this.power().supplies, supply] }, '');
  }

  protected changeSupply(id: string, change: Partial<Supply>, field: string): void {
    const supplies = this.power().supplies.map((supply) =>
      supply.id === id ? { ...supply, ...change } : supply,
    );
    this.set({ supplies }, `supply-${id}-${field}`);
  }

  protected number(id: string, field: 'count' | 'totalAmps', value: unknown): void {
    const number = bounded(value, 0, field === 'count' ? 1000 : 500);
    if (number !== null && (field !== 'count' || Number.isInteger(number)))
      this.changeSupply(id, { [field]: number }, field);
  }

  /** Ratings of the sockets, as `3, 3, 2.4`. */
  protected ports(id: string, text: string): void {
    const ports = text
      .split(/[,;\s]+/)
      .map(Number)
      .filter((amps) => amps > 0 && amps <= 50);
    this.changeSupply(id, { ports: ports.slice(0, 64) }, 'ports');
  }

  protected removeSupply(id: string): void {
    this.set({ supplies: this.power().supplies.filter((supply) => supply.id !== id) }, '');
  }

  protected addPeripheral(): void {
    const peripheral: Peripheral = { title: '', milliamp: 100, role: '' };
    this.set({ peripherals: [...this.power().peripherals, peripheral] }, '');
  }

  protected changePeripheral(index: number, change: Partial<Peripheral>, field: string): void {
    const peripherals = this.power().peripherals.map((other, at) =>
      at === index ? { ...other, ...change } : other,
    );
    this.set({ peripherals }, `peripheral-${String(index)}-${field}`);
  }

  protected draws(index: number, value: unknown): void {
    const milliamp = bounded(value, 0, 20_000);
    if (milliamp !== null) this.changePeripheral(index, { milliamp }, 'milliamp');
  }

  protected removePeripheral(index: number): void {
    this.set({ peripherals: this.power().peripherals.filter((_, at) => at !== index) }, '');
  }

  private set(change: Partial<PowerPlan>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, power: { ...plan.power, ...change } }), field);
  }
}
