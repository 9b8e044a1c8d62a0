import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { FieldView, Problem } from '@nest-mark/core/api';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { FieldApi } from '../api/field-api';
import { downloadBlob } from '../ui/files';
import { moment } from '../ui/moment';

/** Characters that a passphrase has at least, as for plan files. */
const LEAST = 12;

/** Everything of the batch in one file, for where there is no internet. */
@Component({
  selector: 'nm-bundle-part',
  imports: [Button, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  template: `
    <section class="sheet stack" aria-labelledby="bundle-title">
      <h2 id="bundle-title">The bundle for the way</h2>
      <p>
        One file with everything of the batch: pages to read (lists, boards, addresses, the guide), host keys
        and names for OpenSSH, the plan, and the record so far. This program itself needs no internet either.
      </p>
      <div class="row low">
        <div class="field note">
          <label for="bundle-passphrase"
            >Passphrase under which keys and passwords go along; empty for none of them</label
          >
          <input
            pInputText
            type="password"
            id="bundle-passphrase"
            autocomplete="new-password"
            maxlength="255"
            [ngModel]="passphrase()"
            (ngModelChange)="passphrase.set($event)"
          />
        </div>
        <p-button
          [label]="passphrase() === '' ? 'Save it without keys' : 'Save it with keys'"
          [disabled]="short() || busy()"
          (onClick)="take()"
        />
      </div>
      @if (short()) {
        <p class="small clay">12 characters or more.</p>
      }
      @if (problem(); as problem) {
        <p class="notice hand" role="alert">{{ problem.detail }}</p>
      }
      <p class="small soft" role="status">{{ last() }}</p>
    </section>
  `,
})
export class BundlePart {
  private readonly api = inject(FieldApi);
  readonly view = input.required<FieldView>();
  protected readonly passphrase = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly short = computed(
    () => this.passphrase() !== '' && [...this.passphrase()].length < LEAST,
  );
  protected readonly last = computed(() => {
    const at = this.view().bundleAt;
    return at === null ? 'It was not taken yet.' : `Taken last: ${moment(at)}.`;
  });

  protected async take(): Promise<void> {
    this.busy.set(true);
    try {
      const secret = this.passphrase() === '' ? null : this.passphrase();
      const { name, content } = await firstValueFrom(this.api.bundle(this.view().batchId, secret));
      downloadBlob(name, content);
      this.passphrase.set('');
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    } finally {
      this.busy.set(false);
    }
  }
}
