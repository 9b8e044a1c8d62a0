import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  HostListener,
  inject,
  input,
} from '@angular/core';
import { RouterLink, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { BatchActions } from '../state/batch.actions';
import { batchFeature } from '../state/batch.reducer';
import { PracticeDock } from '../practice/practice-dock';
import { selectPractice } from '../state/station.reducer';
import { Tray } from '../tray/tray';
import { TrayStrip } from '../tray/tray-strip';
import { Layout } from './layout';
import { Rail } from './rail';
import { SideColumn } from './side-column';
import { YourTurn } from './your-turn';

/** Whose turn it is, rail, tray, the stage's work, findings: the frame of every page of a batch. */
@Component({
  selector: 'nm-batch-page',
  imports: [PracticeDock, Rail, RouterLink, RouterOutlet, SideColumn, Tray, TrayStrip, YourTurn],
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '[class.with-column]': 'column()' },
  template: `
    @if (plan()) {
      <nm-your-turn />
      <nm-rail />
      <div class="middle">
        @if (save() === 'conflict' || save() === 'failed') {
          <div class="notice hand row" role="alert">
            <span class="grow">{{ problem()?.detail }}</span>
            @if (save() === 'conflict') {
              <button type="button" (click)="theirs()">Show theirs, drop mine</button>
              <button type="button" (click)="mine()">Keep mine, replace theirs</button>
            } @else {
              <button type="button" (click)="again()">Save again</button>
            }
          </div>
        }
        @switch (tray()) {
          @case ('open') {
            <nm-tray />
          }
          @case ('strip') {
            <nm-tray-strip />
          }
        }
        <!-- Each view begins at its top. -->
        <main #work tabindex="0"><router-outlet (activate)="work.scrollTop = 0" /></main>
        @if (dock()) {
          @defer {
            <nm-practice-dock [stage]="stage()" (closed)="layout.turnDock()" />
          }
        }
      </div>
      @if (column()) {
        <nm-side-column />
      }
    } @else if (problem()) {
      <main class="sheet lost">
        <h1>This batch cannot be opened</h1>
        <p>{{ problem()?.detail }}</p>
        <a routerLink="/">To the first batch</a>
      </main>
    } @else {
      <main class="lost" aria-busy="true"><p>Opening the batch…</p></main>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template: auto minmax(0, 1fr) / 168px minmax(0, 1fr);
      flex: 1;
      min-height: 0;
    }
    :host(.with-column) {
      grid-template-columns: 168px minmax(0, 1fr) 272px;
    }
    nm-your-turn {
      grid-column: 1 / -1;
    }
    .middle {
      display: flex;
      flex-direction: column;
      min-height: 0;
      min-width: 0;
    }
    main {
      /* What is placed by itself in it scrolls with it. */
      position: relative;
      flex: 1;
      overflow: auto;
      padding: 1rem;
      min-height: 0;
    }
    main:focus {
      outline: none;
    }
    .lost {
      grid-column: 1 / -1;
      margin: 10vh auto;
      max-width: 34rem;
      flex: none;
      height: max-content;
      padding: 2rem;
    }
    .notice button {
      min-height: 40px;
      padding: 0 0.75rem;
      background: var(--sheet);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      cursor: pointer;
    }
    @media (max-width: 68.75em) {
      :host {
        grid-template-columns: 124px minmax(0, 1fr);
      }
      :host(.with-column) {
        grid-template-columns: 124px minmax(0, 1fr) 224px;
      }
    }
    /* In the hand, at the boards: stages in a line above the work, findings below it. */
    @media (max-width: 47.5em) {
      :host,
      :host(.with-column) {
        grid-template: auto auto minmax(0, 1fr) auto / minmax(0, 1fr);
      }
      main {
        padding: 0.75rem;
      }
      nm-side-column {
        max-height: 45vh;
      }
    }
    /* With large letters there is no room for parts that scroll by themselves: all of it is one page. */
    @media (max-width: 47.5em) and (max-height: 40em) {
      :host,
      :host(.with-column) {
        grid-template-rows: repeat(4, max-content);
        overflow-y: auto;
      }
      .middle {
        display: block;
      }
      main {
        overflow: visible;
      }
      nm-side-column {
        max-height: none;
      }
    }
  `,
})
export class BatchPage {
  private readonly store = inject(Store);
  protected readonly layout = inject(Layout);
  readonly batchId = input.required<string>();
  protected readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly save = this.store.selectSignal(batchFeature.selectSave);
  private readonly practice = this.store.selectSignal(selectPractice);
  protected readonly problem = this.store.selectSignal(batchFeature.selectProblem);

  protected readonly tray = computed(() => this.layout.room().tray);
  protected readonly column = computed(() => this.layout.room().column);

  protected readonly stage = computed(() => this.layout.view().split('/')[0] ?? '');
  /** Its own page has all of it. */
  protected readonly dock = computed(
    () => this.layout.dock() && this.practice() && this.stage() !== 'practice',
  );

  constructor() {
    effect(() => this.store.dispatch(BatchActions.opened({ id: this.batchId() })));
  }

  /**
   * Ctrl and a point turns the tray's size on, Ctrl and a comma the column of findings; F8 opens that too. F9 brings up
   * the hands of the practice bench.
   */
  @HostListener('document:keydown', ['$event'])
  protected onKey(event: KeyboardEvent): void {
    if (event.key === 'F8' && !this.column()) {
      this.layout.turnColumn();
      event.preventDefault();
    }
    if (event.key === 'F9') {
      this.layout.turnDock();
      event.preventDefault();
    }
    if (!event.ctrlKey || event.altKey || event.shiftKey || event.metaKey) return;
    if (event.key === '.') this.layout.nextTray();
    else if (event.key === ',') this.layout.turnColumn();
    else return;
    event.preventDefault();
  }

  protected theirs(): void {
    this.store.dispatch(BatchActions.theirsTaken());
  }

  protected mine(): void {
    this.store.dispatch(BatchActions.mineKept());
  }

  protected again(): void {
    this.store.dispatch(BatchActions.saveDue());
  }
}
