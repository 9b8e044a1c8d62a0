import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { clock } from '@nest-mark/core';
import { clueTitles } from '@nest-mark/core/find';
import { Clock } from '../state/clock';
import { progressFeature } from '../state/progress.reducer';
import { FindRows } from '../ui/find-rows';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';

/** Hosts that were heard and did not prove to be a device of this batch. */
@Component({
  selector: 'nm-heard-hosts',
  imports: [FindRows, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './heard-hosts.html',
})
export class HeardHosts {
  private readonly clock = inject(Clock);
  private readonly progress = inject(Store).selectSignal(progressFeature.selectProgress);
  protected readonly rows = computed(() => {
    const now = this.clock.now();
    return (this.progress()?.hosts ?? []).map((host, at) => ({
      ...host,
      id: host.hardwareAddress ?? host.addresses[0] ?? String(at),
      name: host.names.join(', '),
      by: host.sources.map((source) => clueTitles[source]).join(', '),
      last: `${clock(Math.max(0, (now - host.at) / 1000))} ago`,
    }));
  });
  protected readonly table = new TableView(this.rows, {
    address: ({ addresses }) => addresses[0] ?? '',
    name: ({ name }) => name,
    by: ({ by }) => by,
    last: ({ at }) => -at,
    told: ({ told, hardwareAddress }) => `${told} ${hardwareAddress ?? ''}`,
  });
}
