import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  type ElementRef,
  inject,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { InputText } from 'primeng/inputtext';
import type { Found } from '@nest-mark/core/api';
import { Api } from '../api/api';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { SelectionActions } from '../state/selection';
import { selectDeviceViews } from '../state/selectors';
import { Theme } from '../theme/theme';
import { focusField, focusId } from '../ui/focus-field';
import { matching, type Command } from './commands';
import { OpenPassport } from './open-passport';
import { partOf, planFields, planParts } from './places';

const pages: readonly [string, string][] = [
  ['plan', 'Plan'],
  ['cards', 'Cards'],
  ['boot', 'Boot & find'],
  ['bring-up', 'Bring up'],
  ['card-check', 'Card check'],
  ['card-records', 'Card records'],
  ['hand-over', 'Hand over'],
  ...planParts.flatMap(({ path, title }): [string, string][] =>
    path === '' ? [] : [[`plan/${path}`, path === 'file' ? 'Plan as a file' : title]],
  ),
  ['images', 'Images'],
  ['networks', 'Networks'],
  ['boards', 'Boards'],
  ['methods', 'First-boot methods'],
  ['log', 'Log'],
  ['practice', 'Practice bench'],
  ['this-bench', 'This bench'],
  ['guide', 'Guide'],
  ['checks', 'What is checked, and why'],
];

/** Milliseconds after the last letter before all batches are looked through. */
const QUIET = 180;
/** Letters from which that is worth it. */
const LEAST_ELSEWHERE = 3;
const MOST_ELSEWHERE = 8;

/** One line that finds devices by name, mark or nest, and does what the pages do. */
@Component({
  selector: 'nm-command-line',
  imports: [FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './command-line.html',
  styleUrl: './command-line.css',
})
export class CommandLine {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  private readonly theme = inject(Theme);
  private readonly passports = inject(OpenPassport);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly batches = this.store.selectSignal(batchFeature.selectList);
  readonly closed = output();
  protected readonly text = signal('');
  protected readonly at = signal(0);

  private readonly commands = computed((): Command[] => {
    const id = this.batchId();
    const open = (path: string): void => void this.router.navigate(['/batch', id, ...path.split('/')]);
    return [
      ...this.views().map(({ device }): Command => ({
        kind: 'device',
        title: device.hostName || 'no name yet',
        more: `${device.mark} · ${device.nest}`,
        run: () => this.passports.open(device.id),
      })),
      ...(id === null
        ? []
        : pages.map(([path, title]): Command => ({ kind: 'page', title, more: '', run: () => open(path) }))),
      ...(id === null
        ? []
        : planFields.map(([place, title]): Command => ({
            kind: 'field',
            title,
            more: '',
            run: () =>
              void this.router.navigate(['/batch', id, ...partOf(place)]).then(() => focusField(place)),
          }))),
      ...(id === null
        ? []
        : [
            {
              kind: 'action' as const,
              title: 'Add an image',
              more: '',
              run: () =>
                void this.router.navigate(['/batch', id, 'images']).then(() => focusId('image-path')),
            },
            {
              kind: 'action' as const,
              title: 'Add devices',
              more: '',
              run: () => void this.router.navigate(['/batch', id, 'plan']).then(() => focusId('add-pattern')),
            },
          ]),
      ...(this.batches() ?? []).map((batch): Command => ({
        kind: 'batch',
        title: batch.name,
        more: `${String(batch.devices)} devices`,
        run: () => void this.router.navigate(['/batch', batch.id, 'plan']),
      })),
      {
        kind: 'action',
        title: 'Undo the last edit',
        more: '',
        run: () => this.store.dispatch(BatchActions.undone()),
      },
      { kind: 'action', title: 'Redo', more: '', run: () => this.store.dispatch(BatchActions.redone()) },
      {
        kind: 'action',
        title: 'Select all devices',
        more: '',
        run: () =>
          this.store.dispatch(SelectionActions.set({ ids: this.views().map(({ device }) => device.id) })),
      },
      {
        kind: 'action',
        title: 'Switch between light and dark bench',
        more: '',
        run: () => this.theme.toggle(),
      },
    ];
  });
  /** What the server found among all batches for what is typed. */
  private readonly found = signal<{ text: string; found: readonly Found[] }>({ text: '', found: [] });
  private asked = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  private readonly elsewhere = computed((): Command[] => {
    const { text, found } = this.found();
    if (text !== this.text().trim()) return [];
    const here = this.batchId();
    const mine = new Set(this.views().map(({ device }) => device.id));
    return found.flatMap((one): Command[] => {
      const to = one.batchId ?? here;
      // What this batch has is found here already, but for a mark with a slip in it.
      if (to === null || one.kind === 'batch') return [];
      if (one.kind === 'device' && mine.has(one.id) && !one.by.includes('slip')) return [];
      const path =
        one.kind === 'device'
          ? ['device', one.id]
          : one.kind === 'card'
            ? ['card-records', one.id]
            : ['images'];
      return [
        {
          kind: one.kind,
          title: one.title,
          more: `${one.more} · ${one.by}`,
          run: () => void this.router.navigate(['/batch', to, ...path]),
        },
      ];
    });
  });
  protected readonly hits = computed(() => [
    ...matching(this.commands(), this.text()),
    ...this.elsewhere().slice(0, MOST_ELSEWHERE),
  ]);

  private readonly dialog = viewChild.required<ElementRef<HTMLDialogElement>>('dialog');
  private readonly line = viewChild.required<ElementRef<HTMLInputElement>>('line');

  constructor() {
    inject(DestroyRef).onDestroy(() => clearTimeout(this.timer));
    // The browser's own dialog: it takes the focus at once, so that no letter of a quick typist is lost.
    afterNextRender(() => {
      this.dialog().nativeElement.showModal();
      this.line().nativeElement.focus();
    });
  }

  /** A press beside the dialog, which the browser counts as one on the dialog itself. */
  protected leaveOutside(event: MouseEvent): void {
    if (event.target === this.dialog().nativeElement) this.dialog().nativeElement.close();
  }

  protected type(text: string): void {
    this.text.set(text);
    this.at.set(0);
    clearTimeout(this.timer);
    const wanted = text.trim();
    const turn = ++this.asked;
    if (wanted.length < LEAST_ELSEWHERE) return;
    this.timer = setTimeout(() => {
      this.api.found(wanted).subscribe({
        // An answer that comes after the next letter is not wanted any more.
        next: (found) => turn === this.asked && this.found.set({ text: wanted, found }),
        // The line still finds what this batch has.
        error: () => undefined,
      });
    }, QUIET);
  }

  protected move(by: number): void {
    const count = this.hits().length;
    if (count > 0) this.at.update((at) => (at + by + count) % count);
  }

  protected run(command: Command | undefined): void {
    if (!command) return;
    this.dialog().nativeElement.close();
    command.run();
  }
}
