import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { AccessPanel } from './access-panel';
import { DevicesPanel } from './devices-panel';
import { NetworkPanel } from './network-panel';
import { SystemPanel } from './system-panel';
import { TrayPanel } from './tray-panel';

/** Can this batch work: everything that the cards will say. */
@Component({
  selector: 'nm-plan-page',
  imports: [AccessPanel, DevicesPanel, NetworkPanel, SystemPanel, TrayPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row head">
      <h1>Plan</h1>
      <span class="soft small grow">Checked while you type, kept when you pause.</span>
      <button type="button" [disabled]="!canUndo()" (click)="undo()">Undo</button>
      <button type="button" [disabled]="!canRedo()" (click)="redo()">Redo</button>
    </div>
    <div class="panels">
      <nm-devices-panel class="wide" />
      <nm-tray-panel />
      <nm-system-panel />
      <nm-network-panel />
      <nm-access-panel />
    </div>
  `,
  styles: `
    .head {
      margin-bottom: 0.75rem;
    }
    .panels {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 1rem;
      align-items: start;
    }
    .wide {
      grid-column: 1 / -1;
    }
    button {
      min-height: 40px;
      padding: 0 1rem;
      background: var(--sheet);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      cursor: pointer;
    }
    button:disabled {
      opacity: 0.5;
      cursor: default;
    }
  `,
})
export class PlanPage {
  private readonly store = inject(Store);
  private readonly past = this.store.selectSignal(batchFeature.selectPast);
  private readonly future = this.store.selectSignal(batchFeature.selectFuture);
  protected readonly canUndo = computed(() => this.past().length > 0);
  protected readonly canRedo = computed(() => this.future().length > 0);

  protected undo(): void {
    this.store.dispatch(BatchActions.undone());
  }

  protected redo(): void {
    this.store.dispatch(BatchActions.redone());
  }
}
