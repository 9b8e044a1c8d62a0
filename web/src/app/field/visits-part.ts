import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { FieldView } from '@nest-mark/core/api';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { bounded } from '../plan/numeric';
import { batchFeature } from '../state/batch.reducer';
import { FindRows } from '../ui/find-rows';
import { moment } from '../ui/moment';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { FieldActions, fieldFeature } from './field.reducer';

/** What was seen and done at each board, there. */
@Component({
  selector: 'nm-visits-part',
  imports: [Button, FindRows, FormsModule, InputText, Select, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  templateUrl: './visits-part.html',
})
export class VisitsPart {
  private readonly store = inject(Store);
  readonly view = input.required<FieldView>();
  private readonly batch = this.store.selectSignal(batchFeature.selectPlan);
  private readonly kept = this.store.selectSignal(fieldFeature.selectKept);
  protected readonly deviceId = signal<string | null>(null);
  protected readonly note = signal('');
  protected readonly volts = signal<number | null>(null);

  private readonly names = computed(
    () => new Map((this.batch()?.devices ?? []).map((device) => [device.id, device])),
  );
  protected readonly devices = computed(() =>
    this.view().boards.flatMap(({ deviceId }) => {
      const device = this.names().get(deviceId);
      return device ? [{ id: deviceId, title: `${device.hostName} · ${device.mark}` }] : [];
    }),
  );
  protected readonly rows = computed(() =>
    this.view().visits.map((visit) => ({
      ...visit,
      name: this.names().get(visit.deviceId)?.hostName ?? 'a device that left the plan',
      when: moment(visit.at),
      measured: visit.volts === null ? '' : `${String(visit.volts)} V`,
    })),
  );
  protected readonly table = new TableView(this.rows, {
    when: ({ at }) => at,
    name: ({ name }) => name,
    note: ({ note }) => note,
    who: ({ who }) => who,
  });

  constructor() {
    // Emptied when a visit was kept, and not before: what was typed is not lost to a server that is away.
    effect(() => {
      if (this.kept() === 0) return;
      this.note.set('');
      this.volts.set(null);
    });
  }

  protected measure(value: number | null): void {
    this.volts.set(bounded(value, 0, 1000));
  }

  protected keep(): void {
    const deviceId = this.deviceId();
    if (deviceId === null) return;
    this.store.dispatch(
      FieldActions.visited({ visit: { deviceId, note: this.note(), volts: this.volts() } }),
    );
  }
}
