import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import type { CardFiles } from '@nest-mark/core';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { batchFeature } from '../state/batch.reducer';
import { selectionFeature } from '../state/selection';
import { selectDevices, selectKept } from '../state/selectors';

/** Milliseconds for which secrets stay on the screen. */
const shownMs = 20_000;

/** Every first-boot file of a device, exactly as it will be written. */
@Component({
  selector: 'nm-card-files-part',
  imports: [FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row bar">
      <div class="field">
        <label id="files-of-label" for="files-of">Files of</label>
        <p-select
          inputId="files-of"
          ariaLabelledBy="files-of-label"
          [filter]="true"
          [options]="devices()"
          optionLabel="label"
          optionValue="id"
          placeholder="Add devices first"
          [ngModel]="deviceId()"
          (ngModelChange)="chosen.set($event)"
        />
      </div>
      @if (shown(); as shown) {
        <p class="small grow">
          {{ shown.method }}, because of the image {{ shown.image }}: {{ shown.reason }}
        </p>
        <button type="button" class="quiet" (click)="reveal(!revealed())">
          {{ revealed() ? 'Hide secrets' : 'Show secrets' }}
        </button>
      }
    </div>
    @if (problem()) {
      <p class="notice hand" role="alert">{{ problem() }}</p>
    }
    @if (kept() !== 'saved' && devices().length > 0) {
      <p class="small soft" role="status">The plan is being saved; the files follow.</p>
    }
    @if (shown()?.byHand?.length) {
      <section class="sheet printed" aria-labelledby="by-hand">
        <div class="row">
          <h2 id="by-hand" class="grow">By hand: steps for {{ shown()?.hostName }}</h2>
          <button type="button" class="quiet" (click)="copySteps()">
            {{ copied() ? 'Copied' : 'Copy the commands' }}
          </button>
          <button type="button" class="quiet" (click)="print()">Print</button>
        </div>
        <div class="row" role="radiogroup" aria-label="How you get at the board">
          @for (one of shown()?.byHand; track one.way; let at = $index) {
            <label class="check"
              ><input type="radio" name="hand-way" [checked]="way() === at" (change)="way.set(at)" />
              {{ one.way }}</label
            >
          }
        </div>
        <ol>
          @for (step of steps(); track $index) {
            <li>
              <p>{{ step.text }}</p>
              @for (command of step.commands; track $index) {
                <pre class="mono small">{{ command }}</pre>
              }
            </li>
          }
        </ol>
      </section>
    }
    @for (file of shown()?.files ?? []; track file.path) {
      <section class="sheet" [attr.aria-label]="file.path">
        <div class="row">
          <h2 class="mono">{{ file.path }}</h2>
          <span class="small soft"
            >{{ file.size }} bytes, {{ file.encoding }}, line ends {{ file.lineEnds }}, {{ file.own }} of
            {{ file.lines.length }} lines only on this card</span
          >
        </div>
        <div class="text mono small" role="list" tabindex="0" [attr.aria-label]="'Lines of ' + file.path">
          @for (line of file.lines; track $index) {
            <div role="listitem" [class.own]="line.own">
              <span class="number" aria-hidden="true">{{ $index + 1 }}</span><span
                class="mark"
                aria-hidden="true"
                >{{ line.own ? '◂' : ' ' }}</span
              >{{ line.text }}
              @if (line.own) {
                <span class="visually-hidden">, only on this card</span>
              }
            </div>
          }
        </div>
      </section>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.875rem;
    }
    .bar {
      align-items: end;
      flex-wrap: nowrap;
    }
    .bar button {
      white-space: nowrap;
    }
    .field {
      min-width: 16rem;
    }
    .check {
      display: flex;
      align-items: center;
      gap: 0.5rem;
      min-height: 40px;
    }
    ol {
      margin: 0;
      padding-left: 1.75rem;
    }
    li p {
      margin: 0.375rem 0;
    }
    pre {
      margin: 0.25rem 0;
      padding: 0.375rem 0.625rem;
      background: var(--paper);
      border: 1px solid var(--line);
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    .text {
      /* What only a reader hears scrolls with the line that it is about. */
      position: relative;
      margin-top: 0.5rem;
      overflow: auto;
      background: var(--paper);
      border: 1px solid var(--line);
    }
    .text > div {
      white-space: pre;
      padding: 0 0.5rem;
      min-width: max-content;
    }
    .own {
      background: var(--marsh-wash);
    }
    .number {
      display: inline-block;
      width: 2.5rem;
      color: var(--ink-soft);
      user-select: none;
    }
    .mark {
      display: inline-block;
      width: 1.25rem;
      user-select: none;
    }
  `,
})
export class CardFilesPart {
  private readonly store = inject(Store);
  private readonly api = inject(CardsApi);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly list = this.store.selectSignal(selectDevices);
  private readonly selection = this.store.selectSignal(selectionFeature.selectIds);
  protected readonly kept = this.store.selectSignal(selectKept);
  protected readonly devices = computed(() =>
    this.list().map(({ id, nest, hostName }) => ({ id, label: `${nest} · ${hostName}` })),
  );
  /** Chosen here; otherwise the one that is selected in the tray, or the first. */
  protected readonly chosen = signal<string | null>(null);
  protected readonly deviceId = computed(
    () => this.chosen() ?? this.selection()[0] ?? this.list()[0]?.id ?? null,
  );
  private readonly files = signal<CardFiles | null>(null);
  protected readonly shown = computed(() => {
    const files = this.files();
    return (
      files && {
        ...files,
        hostName: this.list().find(({ id }) => id === this.deviceId())?.hostName ?? '',
        files: files.files.map((file) => ({ ...file, own: file.lines.filter(({ own }) => own).length })),
      }
    );
  });
  /** Which of the ways by hand is shown. */
  protected readonly way = signal(0);
  protected readonly steps = computed(() => this.files()?.byHand[this.way()]?.steps ?? []);
  protected readonly copied = signal(false);
  protected readonly revealed = signal(false);
  protected readonly problem = signal('');
  private asked = 0;

  constructor() {
    effect(() => {
      const batchId = this.batchId();
      const deviceId = this.deviceId();
      // What is shown is what the server has.
      if (this.kept() === 'saved' && batchId !== null && deviceId !== null)
        untracked(() => void this.load(batchId, deviceId, false));
    });
  }

  protected reveal(reveal: boolean): void {
    const batchId = this.batchId();
    const deviceId = this.deviceId();
    if (batchId === null || deviceId === null) return;
    void this.load(batchId, deviceId, reveal);
    if (reveal)
      setTimeout(() => {
        if (this.revealed()) this.reveal(false);
      }, shownMs);
  }

  protected async copySteps(): Promise<void> {
    const lines = this.steps().flatMap(({ text, commands }) =>
      commands.length === 0 ? [] : [`# ${text}`, ...commands],
    );
    await navigator.clipboard.writeText(`${lines.join('\n')}\n`);
    this.copied.set(true);
    setTimeout(() => this.copied.set(false), 2000);
  }

  protected print(): void {
    window.print();
  }

  private async load(batchId: string, deviceId: string, reveal: boolean): Promise<void> {
    const turn = ++this.asked;
    try {
      const files = await firstValueFrom(this.api.cardFiles(batchId, deviceId, reveal));
      if (turn !== this.asked) return;
      this.files.set(files);
      this.revealed.set(reveal);
      this.problem.set('');
    } catch (error) {
      if (turn !== this.asked) return;
      this.files.set(null);
      this.problem.set(asProblem(error).detail);
    }
  }
}
