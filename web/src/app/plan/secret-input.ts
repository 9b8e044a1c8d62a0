import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import type { SecretKind } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { NoticeActions } from '../state/notice';

/** How long a revealed secret stays on the screen. */
const shownMs = 20_000;

/**
 * A secret: masked, shown one at a time and for a while only, copied without being shown. What is revealed stays
 * in this component and never goes into the store.
 */
@Component({
  selector: 'nm-secret-input',
  imports: [InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <span class="row">
      <input
        pInputText
        class="grow mono"
        autocomplete="off"
        spellcheck="false"
        maxlength="255"
        [id]="inputId()"
        [type]="revealed() === null ? 'password' : 'text'"
        [value]="revealed() ?? draft() ?? typed()"
        [placeholder]="state() === 'kept' ? 'kept; type to replace it' : ''"
        (input)="type($any($event.target).value)"
        (blur)="draft.set(null)"
      />
      <button type="button" [disabled]="state() === 'missing'" (click)="toggle()">
        {{ revealed() === null ? 'Show' : 'Hide' }}
      </button>
      <button type="button" [disabled]="state() === 'missing'" (click)="copy()">Copy</button>
    </span>
  `,
  styles: `
    .row {
      flex-wrap: nowrap;
      gap: 0.5rem;
    }
    button {
      min-height: 40px;
      padding: 0 0.75rem;
      background: var(--paper);
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
export class SecretInput {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly stored = this.store.selectSignal(batchFeature.selectStored);
  private readonly allTyped = this.store.selectSignal(batchFeature.selectTyped);
  readonly kind = input.required<SecretKind>();
  readonly inputId = input.required<string>();

  protected readonly revealed = signal<string | null>(null);
  /** What stands in the field while somebody types; a save in a pause must not empty it under their hands. */
  protected readonly draft = signal<string | null>(null);
  protected readonly typed = computed(() => this.allTyped()[this.kind()] ?? '');
  protected readonly state = computed(() => {
    const typed = this.allTyped()[this.kind()];
    if (typed !== undefined) return typed === '' ? 'missing' : 'typed';
    return this.stored()?.secrets[this.kind()] ?? 'missing';
  });
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    // Another batch, another secret.
    effect(() => {
      this.batchId();
      this.revealed.set(null);
      this.draft.set(null);
    });
  }

  protected type(value: string): void {
    if (this.revealed() !== null) this.revealed.set(value);
    else this.draft.set(value);
    this.store.dispatch(BatchActions.secretTyped({ kind: this.kind(), value }));
  }

  protected async toggle(): Promise<void> {
    clearTimeout(this.timer);
    if (this.revealed() !== null) {
      this.revealed.set(null);
      return;
    }
    this.revealed.set(await this.value());
    this.timer = setTimeout(() => this.revealed.set(null), shownMs);
  }

  protected async copy(): Promise<void> {
    const value = await this.value();
    if (value === null) return;
    await navigator.clipboard.writeText(value).then(
      () => this.store.dispatch(NoticeActions.done({ text: 'Copied, without being shown.' })),
      () =>
        this.store.dispatch(
          NoticeActions.done({
            text: 'The browser does not allow copying here. Show it and copy it by hand.',
          }),
        ),
    );
  }

  private async value(): Promise<string | null> {
    const id = this.batchId();
    if (this.state() === 'typed' || id === null) return this.typed();
    try {
      return (await firstValueFrom(this.api.reveal(id, this.kind()))).value;
    } catch (error) {
      this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) }));
      return null;
    }
  }
}
