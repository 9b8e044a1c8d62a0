import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  ElementRef,
  inject,
  Injector,
  signal,
  viewChild,
  type OnDestroy,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { mayBeBroughtUp, type LoginWay } from '@nest-mark/core';
import { stepsOf } from '@nest-mark/core/bring-up';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { PlanEditor } from '../plan/plan-editor';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { FindRows } from '../ui/find-rows';
import { RowsInView } from '../ui/rows-in-view';
import { SortHead } from '../ui/sort-head';
import { loginTitles } from '../ui/login-titles';
import { span } from '../ui/span';
import { TableView } from '../ui/table-view';
import { BoardPanel } from './board-panel';
import { BringUpActions, bringUpFeature } from './bring-up.reducer';
import { StepMark } from './step-mark';
import { StepsPanel } from './steps-panel';
import { boardWord, cellsOf } from './step-words';

/** Proved boards by the steps that make them ready. */
@Component({
  selector: 'nm-bring-up-page',
  imports: [
    BoardPanel,
    Button,
    DeviceLink,
    FindRows,
    FormsModule,
    RowsInView,
    Select,
    SortHead,
    StepMark,
    StepsPanel,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './bring-up-page.html',
  styleUrl: './bring-up-page.css',
})
export class BringUpPage implements OnDestroy {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly bringUp = this.store.selectSignal(bringUpFeature.selectBringUp);
  protected readonly problem = this.store.selectSignal(bringUpFeature.selectProblem);
  protected readonly way = this.store.selectSignal(bringUpFeature.selectUsedWay);
  protected readonly steps = computed(() => this.bringUp()?.steps ?? []);
  protected readonly ways = computed(() =>
    (this.bringUp()?.ways ?? []).map(({ way, lacks }) => ({ way, lacks, title: loginTitles[way] })),
  );
  protected readonly lacks = computed(() => this.ways().find(({ way }) => way === this.way())?.lacks ?? '');
  protected readonly running = computed(() => (this.bringUp()?.running ?? []).length > 0);
  /** Until the last board of what is under way is done; by what such boards took before. */
  protected readonly left = computed(() => {
    const seconds = this.bringUp()?.secondsLeft ?? null;
    return seconds === null ? '' : span(seconds);
  });
  protected readonly plan = computed(() => this.editor.plan().bringUp);
  /** The board that is looked at closely. */
  protected readonly chosen = signal<string | null>(null);
  protected readonly rowHeight = 50;
  private readonly injector = inject(Injector);
  private readonly panel = viewChild<BoardPanel, ElementRef<HTMLElement>>(BoardPanel, { read: ElementRef });

  private readonly boards = computed(
    () => new Map((this.bringUp()?.boards ?? []).map((board) => [board.deviceId, board])),
  );
  /** Devices that could be here: proved, or brought up before. */
  private readonly here = computed(() =>
    this.views().filter(
      ({ device, facts }) => facts.seen?.standing === 'proved' || this.boards().has(device.id),
    ),
  );
  protected readonly planned = computed(() => this.views().length);
  protected readonly total = computed(() => this.here().length);
  protected readonly ready = computed(
    () => this.here().filter(({ facts }) => facts.bringUp?.state === 'ready').length,
  );
  protected readonly rows = computed(() => {
    const ids = this.steps().map(({ id }) => id);
    // Roles are few, and boards many.
    const own = new Map<string, ReadonlySet<string>>();
    const ownOf = (role: string): ReadonlySet<string> => {
      const known = own.get(role) ?? new Set(stepsOf(this.plan(), role).map(({ id }) => id));
      own.set(role, known);
      return known;
    };
    return this.here().map((view) => {
      const board = this.boards().get(view.device.id);
      return {
        ...view.device,
        view,
        board,
        word: boardWord(board),
        hand: board?.state === 'hand' || board?.state === 'stopped' || board?.state === 'interrupted',
        cells: cellsOf(board, ids, ownOf(view.device.role)),
      };
    });
  });
  protected readonly table = new TableView(this.rows, {
    name: ({ hostName, mark }) => `${hostName} ${mark}`,
    nest: ({ nest }) => nest,
    state: ({ word }) => word,
  });
  /** Whom the button means: the selection where it holds such, otherwise everybody who can be. */
  protected readonly meant = computed(() => {
    const fit = (all: ReturnType<typeof this.views>): ReturnType<typeof this.views> =>
      all.filter(({ facts }) => mayBeBroughtUp(facts));
    const chosen = fit(this.selected());
    return chosen.length > 0 ? chosen : fit(this.views());
  });
  protected readonly look = computed(() => {
    const rows = this.rows();
    return (
      rows.find(({ id }) => id === this.chosen()) ??
      rows.find(({ hand }) => hand) ??
      rows.find(({ board }) => board?.state === 'running') ??
      null
    );
  });

  constructor() {
    this.store.dispatch(BringUpActions.lookedAt());
  }

  ngOnDestroy(): void {
    this.store.dispatch(BringUpActions.lookedAway());
  }

  protected start(): void {
    this.store.dispatch(
      BringUpActions.startWanted({ deviceIds: this.meant().map(({ device }) => device.id) }),
    );
  }

  protected stop(): void {
    this.store.dispatch(BringUpActions.stopWanted());
  }

  /** Shows a board closely, and brings it into view: the table above may be long. */
  protected lookAt(deviceId: string): void {
    this.chosen.set(deviceId);
    afterNextRender(() => this.panel()?.nativeElement.scrollIntoView({ block: 'nearest' }), {
      injector: this.injector,
    });
  }

  protected choose(way: LoginWay): void {
    this.store.dispatch(BringUpActions.wayChosen({ way }));
  }

  protected setWanted(wanted: boolean): void {
    this.editor.edit((plan) => ({ ...plan, bringUp: { ...plan.bringUp, wanted } }), '');
  }
}
