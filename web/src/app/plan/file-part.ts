import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { deviceTable, fileSlug, type ImportedPlan, type Problem } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { batchFeature } from '../state/batch.reducer';
import { boardsFeature } from '../state/boards.reducer';
import { download, FileError, textOfFile } from '../ui/files';
import { PlanEditor } from './plan-editor';

/** The plan as a file, and a plan from a file as a new batch. */
@Component({
  selector: 'nm-file-part',
  imports: [Button, FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="save-title">
      <h2 id="save-title">Save this plan</h2>
      <p class="small soft">
        JSON, by a <a href="/api/plan-file.schema.json" target="_blank">published schema</a>. Secrets stay
        here unless you ask for them; then they are encrypted under your passphrase.
      </p>
      <div class="check">
        <label
          ><input
            type="checkbox"
            [checked]="withSecrets()"
            (change)="withSecrets.set($any($event.target).checked)"
          />
          With its secrets</label
        >
      </div>
      @if (withSecrets()) {
        <div class="field">
          <label for="save-passphrase">Passphrase, 12 characters or more</label>
          <input
            pInputText
            id="save-passphrase"
            type="password"
            autocomplete="new-password"
            maxlength="255"
            [ngModel]="passphrase()"
            (ngModelChange)="passphrase.set($event)"
          />
        </div>
      }
      <div class="row">
        <p-button
          label="Save plan"
          [disabled]="busy() || (withSecrets() && passphrase().length < 12)"
          (onClick)="save()"
        />
        <button type="button" class="quiet" (click)="saveTable()">Save the devices as CSV</button>
      </div>
    </section>
    <section class="sheet" aria-labelledby="take-title">
      <h2 id="take-title">Take a plan over from a file</h2>
      <p class="small soft">It becomes a batch of its own; this one stays as it is.</p>
      <div class="field">
        <label for="take-passphrase">Passphrase of its secrets, empty to leave them out</label>
        <input
          pInputText
          id="take-passphrase"
          type="password"
          autocomplete="off"
          maxlength="255"
          [ngModel]="theirs()"
          (ngModelChange)="theirs.set($event)"
        />
      </div>
      <label class="quiet file">
        Choose the file
        <input type="file" accept=".json,application/json" [disabled]="busy()" (change)="take($event)" />
      </label>
      @if (taken(); as taken) {
        <div class="notice done" role="status">
          <p>
            "{{ taken.plan.name }}" was taken over with {{ taken.plan.devices.length }} devices.
            <button type="button" class="quiet" (click)="open(taken.id)">Open it</button>
          </p>
          <ul>
            @for (remark of taken.remarks; track remark) {
              <li>{{ remark }}</li>
            }
          </ul>
        </div>
      }
    </section>
    @if (problem(); as problem) {
      <p class="notice hand" role="alert">{{ problem }}</p>
    }
  `,
  styles: `
    :host,
    section {
      display: flex;
      flex-direction: column;
      gap: 0.875rem;
    }
    .check label {
      display: flex;
      align-items: center;
      gap: 0.625rem;
      min-height: 40px;
    }
    .field {
      max-width: 28rem;
    }
    label.file {
      align-self: start;
    }
    ul {
      margin: 0.5rem 0 0;
      padding-left: 1.25rem;
    }
  `,
})
export class FilePart {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly editor = inject(PlanEditor);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  protected readonly withSecrets = signal(false);
  protected readonly passphrase = signal('');
  protected readonly theirs = signal('');
  protected readonly busy = signal(false);
  protected readonly problem = signal('');
  protected readonly taken = signal<ImportedPlan | null>(null);

  protected async save(): Promise<void> {
    const id = this.batchId();
    if (id === null) return;
    await this.work(async () => {
      const passphrase = this.withSecrets() ? this.passphrase() : null;
      const text = await firstValueFrom(this.api.planFile(id, passphrase));
      const pretty = `${JSON.stringify(JSON.parse(text), null, 2)}\n`;
      download(`${fileSlug(this.editor.plan().name)}-plan.json`, pretty, 'application/json');
      this.passphrase.set('');
    });
  }

  protected saveTable(): void {
    const plan = this.editor.plan();
    download(`${fileSlug(plan.name)}-devices.csv`, deviceTable(plan, this.boards()), 'text/csv');
  }

  protected async take(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const [file] = input.files ?? [];
    if (file)
      await this.work(async () => {
        this.taken.set(null);
        const passphrase = this.theirs() === '' ? null : this.theirs();
        this.taken.set(await firstValueFrom(this.api.importPlan(await textOfFile(file), passphrase)));
        this.theirs.set('');
      });
    input.value = '';
  }

  protected open(id: string): void {
    void this.router.navigate(['/batch', id, 'plan']);
  }

  private async work(task: () => Promise<void>): Promise<void> {
    this.busy.set(true);
    this.problem.set('');
    try {
      await task();
    } catch (error) {
      const problem: Problem | null = error instanceof FileError ? null : asProblem(error);
      this.problem.set(problem?.detail ?? (error as Error).message);
    } finally {
      this.busy.set(false);
    }
  }
}
