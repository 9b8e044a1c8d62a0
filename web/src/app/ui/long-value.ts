import { ChangeDetectionStrategy, Component, computed, input, signal } from '@angular/core';

/** Letters that are kept at each end of a long value. */
const ENDS = 12;

/** A key, fingerprint or digest in little room: shortened in its middle, told and copied whole. */
@Component({
  selector: 'nm-long-value',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (value()) {
      <span class="mono small" [title]="value()" aria-hidden="true">{{ short() }}</span>
      <span class="visually-hidden">{{ value() }}</span>
      <button type="button" [attr.aria-label]="'Copy ' + what()" (click)="copy()">
        {{ copied() ? 'Copied' : 'Copy' }}
      </button>
    }
  `,
  styles: `
    :host {
      display: inline-flex;
      align-items: center;
      gap: 0.5rem;
      white-space: nowrap;
    }
    button {
      min-height: 32px;
      padding: 0 0.5rem;
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      background: var(--sheet);
      color: var(--ink);
      font-size: 0.875rem;
      cursor: pointer;
    }
  `,
})
export class LongValue {
  readonly value = input.required<string>();
  /** What it is, for the name of its button. */
  readonly what = input.required<string>();
  protected readonly copied = signal(false);
  protected readonly short = computed(() => {
    const value = this.value();
    return value.length <= 2 * ENDS + 1 ? value : `${value.slice(0, ENDS)}…${value.slice(-ENDS)}`;
  });

  protected async copy(): Promise<void> {
    await navigator.clipboard.writeText(this.value());
    this.copied.set(true);
    setTimeout(() => this.copied.set(false), 2000);
  }
}
