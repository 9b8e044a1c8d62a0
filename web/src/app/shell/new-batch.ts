import { ChangeDetectionStrategy, Component, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { AutoFocus } from 'primeng/autofocus';
import { Button } from 'primeng/button';
import { Dialog } from 'primeng/dialog';
import { InputText } from 'primeng/inputtext';
import { BatchActions } from '../state/batch.actions';

/** Asks what a new batch is called. */
@Component({
  selector: 'nm-new-batch',
  imports: [AutoFocus, Button, Dialog, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './new-batch.html',
  styles: `
    .buttons {
      margin-top: 1rem;
    }
  `,
})
export class NewBatch {
  private readonly store = inject(Store);
  readonly closed = output();
  protected readonly name = signal('');
  protected readonly nothing = signal(false);

  protected make(): void {
    const name = this.name().trim();
    // Asked here and not by locking the button: Enter right after a paste would find it locked still.
    this.nothing.set(name === '');
    if (name === '') return;
    this.store.dispatch(BatchActions.newWanted({ name }));
    this.closed.emit();
  }
}
