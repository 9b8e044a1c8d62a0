import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { AutoFocus } from 'primeng/autofocus';
import { Button } from 'primeng/button';
import { Dialog } from 'primeng/dialog';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { ServerEvents } from '../api/server-events';
import { BatchActions } from '../state/batch.actions';
import { batchFeature, type SaveState } from '../state/batch.reducer';
import { selectKept } from '../state/selectors';
import { Theme } from '../theme/theme';

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
  imports: [AutoFocus, Button, Dialog, FormsModule, InputText, Select],
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
  protected readonly name = signal('');
  protected readonly nothing = signal(false);

  protected choose(id: string): void {
    void this.router.navigate(['/batch', id, 'plan']);
  }

  protected make(): void {
    const name = this.name().trim();
    // Asked here and not by locking the button: Enter right after a paste would find it locked still.
    this.nothing.set(name === '');
    if (name === '') return;
    this.store.dispatch(BatchActions.newWanted({ name }));
    this.asking.set(false);
    this.name.set('');
  }
}
