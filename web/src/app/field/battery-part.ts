import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { BatterySchema, cellKinds, cellTitles, type Battery, type FieldView } from '@nest-mark/core/api';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { bounded } from '../plan/numeric';
import { batchFeature } from '../state/batch.reducer';
import { FieldActions } from './field.reducer';

type NumberName = Exclude<keyof Battery, 'cells'>;

interface NumberField {
  name: NumberName;
  label: string;
  least: number;
  most: number;
  step: number;
}

const numbers: readonly NumberField[] = [
  { name: 'milliampHours', label: 'Printed capacity, mAh', least: 1, most: 10_000_000, step: 100 },
  { name: 'volts', label: 'Voltage of its cells, V', least: 0.5, most: 100, step: 0.1 },
  { name: 'efficiencyPercent', label: 'Comes out at the board, %', least: 1, most: 100, step: 1 },
  { name: 'usablePercent', label: 'May be taken out, %', least: 1, most: 100, step: 1 },
  { name: 'coldest', label: 'The coldest it gets, °C', least: -40, most: 60, step: 1 },
  { name: 'awakePercent', label: 'Of the time awake, %', least: 0, most: 100, step: 1 },
  { name: 'asleepMilliwatt', label: 'Drawn asleep, mW', least: 0, most: 100_000, step: 10 },
  { name: 'hours', label: 'Has to last, h', least: 0.1, most: 100_000, step: 1 },
  { name: 'marginPercent', label: 'Kept back, %', least: 0, most: 90, step: 5 },
];

const hours = (value: number | null): string =>
  value === null ? 'for ever' : `${value >= 10 ? String(Math.floor(value)) : value.toFixed(1)} h`;

/** What the boards run on where there is no socket, and how long. */
@Component({
  selector: 'nm-battery-part',
  imports: [FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  templateUrl: './battery-part.html',
})
export class BatteryPart {
  private readonly store = inject(Store);
  readonly view = input.required<FieldView>();
  private readonly batch = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly battery = computed(() => this.view().plan.battery);
  protected readonly numbers = numbers;
  protected readonly kinds = cellKinds.map((id) => ({ id, title: cellTitles[id] }));
  /** Boards that draw the same stand in one line. */
  protected readonly lines = computed(() => {
    const names = new Map((this.batch()?.devices ?? []).map(({ id, hostName }) => [id, hostName]));
    const lines = new Map<string, { names: string[]; life: FieldView['boards'][number]['life'] }>();
    for (const { deviceId, life } of this.view().boards) {
      const key = life ? String(life.watts) : '';
      const line = lines.get(key) ?? { names: [], life };
      line.names.push(names.get(deviceId) ?? '');
      lines.set(key, line);
    }
    return [...lines.values()].map(({ names: some, life }) => ({
      who: some.length > 4 ? `${String(some.length)} boards, ${some[0] ?? ''} …` : some.join(', '),
      watts: life ? `${life.watts.toFixed(2)} W` : 'nobody measured it',
      hours: life ? hours(life.hours) : '',
      kept: life ? hours(life.kept) : '',
      needed: life ? life.needed : null,
    }));
  });

  protected has(there: boolean): void {
    this.edit(there ? BatterySchema.parse({}) : null);
  }

  protected kind(cells: Battery['cells']): void {
    const battery = this.battery();
    if (battery) this.edit({ ...battery, cells });
  }

  protected number({ name, least, most }: NumberField, value: number): void {
    const battery = this.battery();
    const number = bounded(value, least, most);
    if (battery && number !== null) this.edit({ ...battery, [name]: number });
  }

  private edit(battery: Battery | null): void {
    this.store.dispatch(FieldActions.edited({ plan: { ...this.view().plan, battery } }));
  }
}
