import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { fileSlug } from '@nest-mark/core';
import type { Problem } from '@nest-mark/core/api';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';
import { batchFeature } from '../state/batch.reducer';

const ALL = 'all';

/** One document for the batch and for each board, for a year from now. */
@Component({
  selector: 'nm-record-part',
  imports: [FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './record-part.html',
  styleUrl: './parts.css',
  styles: `
    .key {
      overflow-wrap: anywhere;
    }
  `,
})
export class RecordPart {
  private readonly store = inject(Store);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly batches = signal<readonly { id: string; name: string }[]>([]);
  protected readonly key = signal<{ publicLine: string; fingerprint: string } | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly of = signal(ALL);
  protected readonly other = signal<string | null>(null);

  protected readonly devices = computed(() => [
    { id: ALL, label: 'the whole batch' },
    ...(this.plan()?.devices.map(({ id, hostName, mark }) => ({ id, label: `${hostName} · ${mark}` })) ?? []),
  ]);
  protected readonly others = computed(() => this.batches().filter(({ id }) => id !== this.batchId()));
  protected readonly link = computed(
    () =>
      `/api/batches/${this.batchId() ?? ''}/record${this.of() === ALL ? '' : `?deviceId=${encodeURIComponent(this.of())}`}`,
  );
  protected readonly saved = computed(() => {
    const device = this.plan()?.devices.find(({ id }) => id === this.of());
    return `record.${fileSlug(this.plan()?.name ?? '')}${device ? `.${fileSlug(device.hostName)}` : ''}.zip`;
  });

  constructor() {
    const [api, handOver] = [inject(Api), inject(HandOverApi)];
    void this.read(api, handOver);
  }

  private async read(api: Api, handOver: HandOverApi): Promise<void> {
    try {
      this.key.set(await firstValueFrom(handOver.installationKey()));
      this.batches.set(await firstValueFrom(api.batches()));
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }
}
