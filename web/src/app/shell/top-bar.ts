import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { ServerEvents } from '../api/server-events';
import { batchFeature, type SaveState } from '../state/batch.reducer';
import { selectKept } from '../state/selectors';
import { Theme } from '../theme/theme';
import { NewBatch } from './new-batch';

const saveWords: Record<SaveState, string> = {
  saved: 'saved',
  changed: 'changed, saving soon',
  saving: 'saving…',
  conflict: 'not saved: changed elsewhere',
  failed: 'not saved',
};

/** Which batch is open, whether it is saved, and the ways to find things. */
@Component({
  selector: 'nm-top-bar',
  imports: [NewBatch],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './top-bar.html',
  styleUrl: './top-bar.css',
})
export class TopBar {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly theme = inject(Theme);
  protected readonly connection = inject(ServerEvents).connection;
  protected readonly list = this.store.selectSignal(batchFeature.selectList);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  protected readonly save = this.store.selectSignal(selectKept);
  protected readonly saveWord = computed(() => saveWords[this.save()]);
  protected readonly options = computed(() =>
    (this.list() ?? []).map(({ id, name, devices }) => ({ id, label: `${name} · ${String(devices)}` })),
  );
  readonly find = output();
  readonly keys = output();

  protected readonly asking = signal(false);

  protected choose(id: string): void {
    void this.router.navigate(['/batch', id, 'plan']);
  }
}
