import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { firstValueFrom } from 'rxjs';
import type { Problem } from '@nest-mark/core/api';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';

/** A file that can be saved, and looked at before. */
export interface OfferedFile {
  title: string;
  /** What it is good for. */
  use: string;
  /** Name under which it is saved. */
  saved: string;
  /** Path below the batch's hand-over, with its query. */
  path: string;
}

@Component({
  selector: 'nm-file-look',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" [attr.aria-label]="file().title">
      <h2>{{ file().title }}</h2>
      <p class="small">{{ file().use }}</p>
      <p class="mono small cut" [title]="file().saved">{{ file().saved }}</p>
      <ng-content />
      <div class="row">
        <a
          class="get"
          [href]="'/api/batches/' + batchId() + '/hand-over/' + file().path"
          [attr.download]="file().saved"
          target="_blank"
          >Save file</a
        >
        <button type="button" class="quiet" (click)="look()">{{ text() === null ? 'Look' : 'Close' }}</button>
      </div>
      @if (problem(); as problem) {
        <p class="notice hand" role="alert">{{ problem.detail }}</p>
      }
      @if (text(); as text) {
        <pre class="mono small" tabindex="0" [attr.aria-label]="'What ' + file().saved + ' says'">{{
          text
        }}</pre>
      }
    </section>
  `,
  styleUrl: './parts.css',
  styles: `
    :host {
      display: flex;
      min-width: 0;
    }
    section {
      flex: 1 1 0;
      min-width: 0;
      display: flex;
      flex-direction: column;
      gap: 0.5rem;
    }
    .row {
      margin-top: auto;
    }
  `,
})
export class FileLook {
  private readonly api = inject(Api);
  readonly batchId = input.required<string>();
  readonly file = input.required<OfferedFile>();
  protected readonly text = signal<string | null>(null);
  protected readonly problem = signal<Problem | null>(null);

  protected async look(): Promise<void> {
    if (this.text() !== null) {
      this.text.set(null);
      return;
    }
    try {
      this.text.set(await firstValueFrom(this.api.handOverFile(this.batchId(), this.file().path)));
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }
}
