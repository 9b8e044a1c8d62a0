import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import type { ExportForm } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { batchFeature } from '../state/batch.reducer';
import { selectDevices } from '../state/selectors';

/** One device's card as a file, for workstations without access to their readers. */
@Component({
  selector: 'nm-export-panel',
  imports: [Button, FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <details class="sheet">
      <summary><h2>No reader here? Take a card as a file</h2></summary>
      <p class="small soft">
        The file holds the device’s keys and passwords: keep it as you would keep the card, and delete it
        after use. Write the whole card with any tool that copies images, or copy the first-boot files by hand
        onto the boot partition of a card that holds the image.
      </p>
      <form class="row" (ngSubmit)="fetch()">
        <div class="field">
          <label id="export-device-label" for="export-device">Device</label>
          <p-select
            inputId="export-device"
            ariaLabelledBy="export-device-label"
            name="device"
            placeholder="Choose"
            [filter]="true"
            [options]="devices()"
            optionLabel="label"
            optionValue="id"
            [ngModel]="deviceId()"
            (ngModelChange)="deviceId.set($event)"
          />
        </div>
        <div class="field">
          <label id="export-form-label" for="export-form">As</label>
          <p-select
            inputId="export-form"
            ariaLabelledBy="export-form-label"
            name="form"
            [options]="forms"
            optionLabel="label"
            optionValue="id"
            [ngModel]="form()"
            (ngModelChange)="form.set($event)"
          />
        </div>
        <p-button
          type="submit"
          label="Make the file"
          severity="secondary"
          [outlined]="true"
          [disabled]="deviceId() === null || busy()"
        />
      </form>
      @if (told()) {
        <p class="small" role="status">{{ told() }}</p>
      }
      @if (problem()) {
        <p class="notice hand" role="alert">{{ problem() }}</p>
      }
    </details>
  `,
  styles: `
    summary {
      cursor: pointer;
      min-height: 40px;
    }
    summary h2 {
      display: inline;
    }
    form {
      align-items: end;
      margin-top: 0.75rem;
    }
    .field {
      min-width: 14rem;
    }
  `,
})
export class ExportPanel {
  private readonly api = inject(CardsApi);
  private readonly store = inject(Store);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly list = this.store.selectSignal(selectDevices);
  protected readonly devices = computed(() =>
    this.list().map(({ id, nest, hostName }) => ({ id, label: `${nest} · ${hostName}` })),
  );
  protected readonly forms: { id: ExportForm; label: string }[] = [
    { id: 'img', label: 'whole card, .img' },
    { id: 'img.xz', label: 'whole card, .img.xz' },
    { id: 'img.zst', label: 'whole card, .img.zst' },
    { id: 'files', label: 'first-boot files only, .zip' },
  ];
  protected readonly deviceId = signal<string | null>(null);
  protected readonly form = signal<ExportForm>('img.xz');
  protected readonly busy = signal(false);
  protected readonly told = signal('');
  protected readonly problem = signal('');

  protected async fetch(): Promise<void> {
    const batchId = this.batchId();
    const deviceId = this.deviceId();
    if (batchId === null || deviceId === null || this.busy()) return;
    this.busy.set(true);
    this.told.set('');
    this.problem.set('');
    try {
      const { token, fileName } = await firstValueFrom(this.api.exportCard(batchId, deviceId, this.form()));
      const link = document.createElement('a');
      link.href = `/api/exports/${token}`;
      link.download = fileName;
      link.click();
      this.told.set(`${fileName} is being fetched. This was written to the log.`);
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    } finally {
      this.busy.set(false);
    }
  }
}
