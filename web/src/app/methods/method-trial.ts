import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { OwnDescription, TriedMethod } from '@nest-mark/core';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { batchFeature } from '../state/batch.reducer';
import { imagesFeature } from '../state/images.reducer';
import { selectDevices, selectKept } from '../state/selectors';

/** Milliseconds without a further key before it is tried. */
const rest = 400;

/** What a device of the open batch would get by a description. */
@Component({
  selector: 'nm-method-trial',
  imports: [FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="trial-title">
      <div class="row">
        <h2 id="trial-title">What a board would get</h2>
        <p-select
          ariaLabel="On the image"
          [options]="images()"
          optionLabel="label"
          optionValue="id"
          placeholder="no image on the shelf yet"
          [ngModel]="imageId()"
          (ngModelChange)="chosenImage.set($event)"
        />
        <p-select
          ariaLabel="For the device"
          [options]="devices()"
          optionLabel="label"
          optionValue="id"
          [filter]="true"
          placeholder="no device in the plan yet"
          [ngModel]="deviceId()"
          (ngModelChange)="chosenDevice.set($event)"
        />
      </div>
      <p class="small soft">Keys and passwords are dots here, written as the file writes them.</p>
      <div role="status">
        @if (problem()) {
          <p class="notice hand">{{ problem() }}</p>
        }
      </div>
      @for (file of tried()?.files ?? []; track file.path) {
        <h3 class="mono">{{ file.path }}</h3>
        <div class="text mono small" tabindex="0" role="region" [attr.aria-label]="'Lines of ' + file.path">
          @for (line of file.lines; track $index) {
            <div>{{ line.text || ' ' }}</div>
          }
        </div>
      } @empty {
        @if (!problem()) {
          <p class="small soft">
            As soon as there is an image, a device, and a description that makes sense, its files stand here.
          </p>
        }
      }
    </section>
  `,
  styles: `
    section {
      display: flex;
      flex-direction: column;
      gap: 0.5rem;
    }
    .text {
      overflow: auto;
      max-height: 16rem;
      background: var(--paper);
      border: 1px solid var(--line);
      padding: 0.25rem 0.5rem;
    }
    .text > div {
      white-space: pre;
      min-width: max-content;
    }
  `,
})
export class MethodTrial {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  readonly description = input.required<OwnDescription>();
  /** Whether it makes sense; nothing is asked otherwise. */
  readonly sound = input.required<boolean>();
  private readonly shelf = this.store.selectSignal(imagesFeature.selectList);
  private readonly list = this.store.selectSignal(selectDevices);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly kept = this.store.selectSignal(selectKept);
  protected readonly images = computed(() =>
    (this.shelf() ?? [])
      .filter(({ state }) => state === 'ready')
      .map(({ id, title }) => ({ id, label: title })),
  );
  protected readonly devices = computed(() =>
    this.list().map(({ id, nest, hostName }) => ({ id, label: `${nest} · ${hostName}` })),
  );
  protected readonly chosenImage = signal<string | null>(null);
  protected readonly chosenDevice = signal<string | null>(null);
  /** The newest one where nobody has said: it is the one that a person has just put there. */
  protected readonly imageId = computed(() => this.chosenImage() ?? this.images().at(-1)?.id ?? null);
  protected readonly deviceId = computed(() => this.chosenDevice() ?? this.list()[0]?.id ?? null);
  protected readonly tried = signal<TriedMethod | null>(null);
  protected readonly problem = signal('');
  private asked = 0;

  constructor() {
    effect((onCleanup) => {
      const [description, imageId, batchId, deviceId] = [
        this.description(),
        this.imageId(),
        this.batchId(),
        this.deviceId(),
      ];
      const ready = this.sound() && this.kept() === 'saved';
      this.asked++;
      if (!ready || imageId === null || batchId === null || deviceId === null) {
        untracked(() => {
          if (!this.sound()) this.show(null, '');
        });
        return;
      }
      const turn = this.asked;
      const timer = setTimeout(() => void this.ask(turn, { description, imageId, batchId, deviceId }), rest);
      onCleanup(() => clearTimeout(timer));
    });
  }

  private async ask(turn: number, body: Parameters<Api['tryMethod']>[0]): Promise<void> {
    try {
      const tried = await firstValueFrom(this.api.tryMethod(body));
      if (turn === this.asked) this.show(tried, tried.problem);
    } catch (error) {
      if (turn === this.asked) this.show(null, asProblem(error).detail);
    }
  }

  private show(tried: TriedMethod | null, problem: string): void {
    this.tried.set(tried);
    this.problem.set(problem);
  }
}
