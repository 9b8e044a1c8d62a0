import { ChangeDetectionStrategy, Component, effect, inject, input, output, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { firstValueFrom, type Observable } from 'rxjs';
import { InputText } from 'primeng/inputtext';
import { asProblem } from '../api/api-problem';
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
        [placeholder]="state() === 'kept' ? 'kept' : ''"
        (input)="type($any($event.target).value)"
        (blur)="draft.set(null)"
      />
      <button type="button" class="quiet" [disabled]="state() === 'missing'" (click)="toggle()">
        {{ revealed() === null ? 'Show' : 'Hide' }}
      </button>
      <button type="button" class="quiet" [disabled]="state() === 'missing'" (click)="copy()">Copy</button>
    </span>
  `,
  styles: `
    .row {
      flex-wrap: nowrap;
      gap: 0.5rem;
    }
  `,
})
export class SecretInput {
  private readonly store = inject(Store);
  readonly inputId = input.required<string>();
  /** Whose secret it is; with another owner nothing of the former one stays on the screen. */
  readonly owner = input.required<string | null>();
  readonly state = input.required<'missing' | 'kept' | 'typed'>();
  /** What was typed since the last save. */
  readonly typed = input('');
  /** Asks the server for the kept secret; this is logged there. */
  readonly reveal = input.required<() => Observable<{ value: string | null }>>();
  readonly changed = output<string>();

  protected readonly revealed = signal<string | null>(null);
  /** What stands in the field while somebody types; a save in a pause must not empty it under their hands. */
  protected readonly draft = signal<string | null>(null);
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor() {
    effect(() => {
      this.owner();
      this.revealed.set(null);
      this.draft.set(null);
    });
  }

  protected type(value: string): void {
    if (this.revealed() !== null) this.revealed.set(value);
    else this.draft.set(value);
    this.changed.emit(value);
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
    if (this.state() === 'typed') return this.typed();
    try {
      return (await firstValueFrom(this.reveal()())).value;
    } catch (error) {
      this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) }));
      return null;
    }
  }
}
