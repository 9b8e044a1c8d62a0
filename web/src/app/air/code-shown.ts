import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import type { CodePattern } from '@nest-mark/core/api';
import { asProblem } from '../api/api-problem';
import { Api } from '../api/api';

/** The code of a network for phones to scan; not there until somebody asks. */
@Component({
  selector: 'nm-code-shown',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="stack">
      <span
        ><button type="button" class="quiet" [attr.aria-expanded]="code() !== null" (click)="toggle()">
          {{ code() === null ? 'Show as a code to scan' : 'Hide the code' }}
        </button></span
      >
      @if (code(); as code) {
        <svg
          class="code"
          role="img"
          aria-label="Code of the network, with its key"
          [attr.viewBox]="'0 0 ' + code.modules + ' ' + code.modules"
          shape-rendering="crispEdges"
        >
          <rect width="100%" height="100%" fill="#fff" />
          <path [attr.d]="code.path" fill="#000" />
        </svg>
        <p class="small soft">Whoever scans it has the key. That it was shown is in the log.</p>
      }
      @if (fault(); as fault) {
        <p class="notice hand" role="alert">{{ fault }}</p>
      }
    </div>
  `,
  styles: `
    .stack {
      display: flex;
      flex-direction: column;
      gap: 0.5rem;
    }
    .code {
      width: min(100%, 14rem);
    }
  `,
})
export class CodeShown {
  private readonly api = inject(Api);
  readonly networkId = input.required<string>();
  protected readonly code = signal<CodePattern | null>(null);
  protected readonly fault = signal('');

  protected toggle(): void {
    this.fault.set('');
    if (this.code() !== null) {
      this.code.set(null);
      return;
    }
    this.api.networkCode(this.networkId()).subscribe({
      next: (code) => this.code.set(code),
      error: (error: unknown) => this.fault.set(asProblem(error).detail),
    });
  }
}
