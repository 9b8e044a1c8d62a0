import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  type ElementRef,
  inject,
  Injector,
  input,
  signal,
  viewChild,
  type OnDestroy,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { filter, firstValueFrom, throttleTime, type Subscription } from 'rxjs';
import type { BoardBringUp, BoardStep, BringUp, Device, LoginWay, StepView } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { stepsOf } from '@nest-mark/core/bring-up';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { batchFeature } from '../state/batch.reducer';
import { PlanEditor } from '../plan/plan-editor';
import { moment } from '../ui/moment';
import { BringUpActions } from './bring-up.reducer';
import { BoardTerminal } from './board-terminal';
import { StepMark } from './step-mark';
import { boardWord, cellsOf } from './step-words';

/** Characters of a board's output that the page keeps. */
const KEPT = 64_000;
/** Milliseconds between two looks at what it prints. */
const READ_EVERY = 500;

/** One board closely: what each step found, what it prints, and what a person can do. */
@Component({
  selector: 'nm-board-panel',
  imports: [BoardTerminal, Button, FormsModule, InputText, StepMark],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './board-panel.html',
  styleUrl: './board-panel.css',
})
export class BoardPanel implements OnDestroy {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly editor = inject(PlanEditor);
  protected readonly batchId = this.store.selectSignal(batchFeature.selectId);
  readonly device = input.required<Device>();
  readonly board = input.required<BoardBringUp | null>();
  readonly steps = input.required<readonly StepView[]>();
  readonly skips = input.required<BringUp['skips']>();
  /** Whether whoever runs the station lets people open terminals. */
  readonly terminals = input.required<boolean>();
  readonly way = input.required<LoginWay>();
  protected readonly terminal = signal(false);
  protected readonly kept = signal(false);
  protected readonly word = computed(() => boardWord(this.board() ?? undefined));
  protected readonly offSince = computed(() => {
    const at = this.board()?.offAt ?? null;
    return at === null ? '' : moment(at);
  });
  protected readonly busy = computed(() => ['queued', 'running'].includes(this.board()?.state ?? ''));
  protected readonly rows = computed(() => {
    const board = this.board() ?? undefined;
    const cells = cellsOf(
      board,
      this.steps().map(({ id }) => id),
      new Set(stepsOf(this.editor.plan().bringUp, this.device().role).map(({ id }) => id)),
    );
    return this.steps().map((step, index) => {
      const cell = cells[index];
      return {
        ...step,
        mode: cell?.mode ?? ('open' as const),
        share: cell?.share ?? 0,
        word: cell?.word ?? '',
        step: cell?.step ?? null,
        skipped: this.skips().some(
          ({ deviceId, stepId }) => deviceId === this.device().id && stepId === step.id,
        ),
      };
    });
  });
  /** What a person has to decide, first. */
  protected readonly open = computed(() => this.rows().filter(({ mode }) => mode === 'notched'));
  protected readonly rest = computed(() => this.rows().filter(({ mode }) => mode !== 'notched'));

  protected readonly output = signal('');
  protected readonly search = signal('');
  protected readonly shown = computed(() => {
    const words = this.search().trim().toLowerCase();
    if (words === '') return this.output();
    return this.output()
      .split('\n')
      .filter((line) => line.toLowerCase().includes(words))
      .join('\n');
  });
  /** Reasons that are being typed, by step. */
  protected readonly reasons = signal<Readonly<Record<string, string>>>({});

  private readonly injector = inject(Injector);
  private end = 0;
  private of = '';
  private readonly reading: Subscription;

  constructor() {
    effect(() => {
      const { id } = this.device();
      if (id === this.of) return;
      this.of = id;
      this.end = 0;
      this.output.set('');
      this.reasons.set({});
      this.terminal.set(false);
      void this.read();
    });
    this.reading = inject(ServerEvents)
      .events.pipe(
        filter(({ type }) => type === 'bring-up'),
        throttleTime(READ_EVERY, undefined, { leading: true, trailing: true }),
      )
      .subscribe(() => void this.read());
  }

  private readonly printed = viewChild<ElementRef<HTMLElement>>('printed');

  ngOnDestroy(): void {
    this.reading.unsubscribe();
  }

  protected again(): void {
    this.store.dispatch(BringUpActions.startWanted({ deviceIds: [this.device().id] }));
  }

  protected typeReason(stepId: string, reason: string): void {
    this.reasons.update((all) => ({ ...all, [stepId]: reason }));
  }

  protected skip({ stepId }: Pick<BoardStep, 'stepId'>, reason: string): void {
    this.store.dispatch(BringUpActions.stepSkipped({ deviceId: this.device().id, stepId, reason }));
  }

  private async read(): Promise<void> {
    const batchId = this.batchId();
    const asked = this.of;
    if (batchId === null) return;
    try {
      const { end, dropped, text } = await firstValueFrom(this.api.boardOutput(batchId, asked, this.end));
      if (asked !== this.of || end === this.end) return;
      const pre = this.printed()?.nativeElement;
      // What comes is followed, unless somebody reads further up.
      const follows = !pre || pre.scrollHeight - pre.scrollTop - pre.clientHeight < 40;
      this.output.update((before) => (dropped ? text : before + text).slice(-KEPT));
      if (follows)
        afterNextRender(() => this.printed()?.nativeElement.scrollTo(0, 1e7), { injector: this.injector });
      this.end = end;
    } catch {
      // The next word of the server asks again.
    }
  }
}
