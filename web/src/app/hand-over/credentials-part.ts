import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { CredentialsWanted, Problem } from '@nest-mark/core/api';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';
import { batchFeature } from '../state/batch.reducer';
import { selectSelectedDevices } from '../state/selectors';
import { downloadBlob } from '../ui/files';
import { handOverFeature } from './hand-over.reducer';

/** Passwords leave the bench: on paper, for a password manager, or sealed. */
@Component({
  selector: 'nm-credentials-part',
  imports: [FormsModule, InputText, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './credentials-part.html',
  styleUrl: './parts.css',
})
export class CredentialsPart {
  private readonly store = inject(Store);
  private readonly api = inject(HandOverApi);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly view = this.store.selectSignal(handOverFeature.selectView);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly recipients = signal('');
  protected readonly passphrase = signal('');
  protected readonly problem = signal<Problem | null>(null);
  protected readonly done = signal('');

  protected readonly selectedOnly = computed(() => this.selected().length > 0);
  private readonly deviceIds = computed(() =>
    this.selectedOnly() ? this.selected().map(({ device }) => device.id) : null,
  );
  protected readonly having = computed(() => {
    const among = this.deviceIds();
    return (this.view()?.devices ?? []).filter(
      ({ deviceId, hasPassword }) => hasPassword && (among === null || among.includes(deviceId)),
    ).length;
  });

  protected seal(): void {
    void this.save({ form: 'sealed', recipients: this.recipients(), passphrase: this.passphrase() });
  }

  protected async save(
    wanted:
      | { form: 'slips' }
      | { form: 'table' }
      | { form: 'sealed'; recipients: string; passphrase: string },
  ): Promise<void> {
    const id = this.batchId();
    if (id === null) return;
    this.done.set('');
    try {
      const order: CredentialsWanted = { ...wanted, deviceIds: this.deviceIds() };
      const { name, content } = await firstValueFrom(this.api.credentials(id, order));
      downloadBlob(name, content);
      this.done.set(`${name} was saved; the log has it.`);
      this.passphrase.set('');
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }
}
