import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  signal,
  untracked,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { fileSlug, hubName, emptyPlan } from '@nest-mark/core';
import type { Problem, VpnView } from '@nest-mark/core/api';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';
import { batchFeature } from '../state/batch.reducer';
import { selectDeviceViews, selectKept } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { downloadBlob } from '../ui/files';
import { FindRows } from '../ui/find-rows';
import { LongValue } from '../ui/long-value';
import { RowsInView } from '../ui/rows-in-view';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { handOverFeature } from './hand-over.reducer';

/** How boards are reached from outside: the hub's file, what to do with it, and where each board is inside. */
@Component({
  selector: 'nm-outside-part',
  imports: [DeviceLink, FindRows, LongValue, RouterLink, RowsInView, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './outside-part.html',
  styleUrl: './parts.css',
})
export class OutsidePart {
  private readonly store = inject(Store);
  private readonly api = inject(HandOverApi);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly kept = this.store.selectSignal(selectKept);
  /** Comes anew when secrets were forgotten. */
  private readonly handed = this.store.selectSignal(handOverFeature.selectView);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  protected readonly view = signal<VpnView | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');
  protected readonly vpn = computed(() => (this.plan() ?? emptyPlan('')).vpn);
  protected readonly wanted = computed(() => this.vpn().wanted);
  protected readonly hubName = computed(() => hubName(fileSlug(this.plan()?.name ?? '')));
  private readonly rows = computed(() => {
    const views = new Map(this.views().map((view) => [view.device.id, view]));
    return (this.view()?.boards ?? []).flatMap(({ deviceId, ...board }) => {
      const view = views.get(deviceId);
      return view
        ? [{ ...board, id: deviceId, view, nest: view.device.nest, hostName: view.device.hostName }]
        : [];
    });
  });
  protected readonly rowHeight = 48;
  protected readonly table = new TableView(this.rows, {
    name: ({ hostName }) => hostName,
    nest: ({ nest }) => nest,
    address: ({ address }) => address,
  });
  private asked = 0;

  constructor() {
    effect(() => {
      const id = this.batchId();
      this.handed();
      // What is shown is what the server has.
      if (this.kept() === 'saved' && id !== null) untracked(() => void this.load(id));
    });
  }

  protected async save(deviceId: string | null): Promise<void> {
    const id = this.batchId();
    if (id === null) return;
    this.done.set('');
    try {
      const { name, content } = await firstValueFrom(this.api.vpnFile(id, deviceId));
      downloadBlob(name, content);
      this.done.set(`${name} was saved; the log has it.`);
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }

  private async load(id: string): Promise<void> {
    const turn = ++this.asked;
    try {
      const view = await firstValueFrom(this.api.vpn(id));
      if (turn !== this.asked) return;
      this.view.set(view);
      this.problem.set(null);
    } catch (error) {
      if (turn === this.asked) this.problem.set(asProblem(error));
    }
  }
}
