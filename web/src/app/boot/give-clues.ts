import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { TABLE_TEXT_LIMIT, type HostTable, type Problem } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { batchFeature } from '../state/batch.reducer';
import { BootActions } from './boot.reducer';

/** Rows of a list that are shown; the others are asked all the same. */
const SHOWN = 200;

/** A list of the network's own equipment, or an address: shown first as it was understood, then asked. */
@Component({
  selector: 'nm-give-clues',
  imports: [Button, FormsModule],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './give-clues.html',
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.5rem;
    }
    textarea {
      min-height: 6.5rem;
      font-family: var(--mono);
      font-size: 0.875rem;
      background: var(--paper);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      padding: 0.5rem;
      resize: vertical;
    }
    .rows {
      max-height: 18rem;
      overflow: auto;
      position: relative;
    }
  `,
})
export class GiveClues {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  readonly done = output();
  protected readonly text = signal('');
  protected readonly table = signal<HostTable | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly reading = signal(false);
  protected readonly rows = computed(() => this.table()?.rows.slice(0, SHOWN) ?? []);
  protected readonly toAsk = computed(
    () => this.table()?.rows.filter(({ address, gone }) => address !== null && !gone).length ?? 0,
  );

  protected typed(text: string): void {
    this.text.set(text);
    this.table.set(null);
    this.problem.set(null);
  }

  protected async dropped(event: DragEvent): Promise<void> {
    const file = event.dataTransfer?.files[0];
    if (!file) return;
    event.preventDefault();
    this.typed((await file.slice(0, TABLE_TEXT_LIMIT + 1).text()).slice(0, TABLE_TEXT_LIMIT));
    this.read();
  }

  protected read(): void {
    const id = this.batchId();
    if (id === null || this.reading()) return;
    this.reading.set(true);
    const text = this.text();
    this.api.previewClues(id, text).subscribe({
      next: (table) => {
        this.reading.set(false);
        if (text === this.text()) this.table.set(table);
      },
      error: (error: unknown) => {
        this.reading.set(false);
        this.problem.set(asProblem(error));
      },
    });
  }

  protected ask(): void {
    const source = this.table()?.rows.length === 1 ? 'hand' : 'table';
    this.store.dispatch(BootActions.cluesGiven({ text: this.text(), source }));
    this.done.emit();
  }
}
