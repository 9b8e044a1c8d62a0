import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  signal,
  untracked,
} from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { Store } from '@ngrx/store';
import {
  callInOf,
  inSubnet,
  searchSubnet,
  subnetFault,
  type ListeningSource,
  type Place,
} from '@nest-mark/core';
import { clueTitles, listensOnNetworks, meetingOf } from '@nest-mark/core/find';
import { Button } from 'primeng/button';
import { catchError, debounceTime, map, of, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { PlanEditor } from '../plan/plan-editor';
import { networksFeature } from '../state/networks.reducer';
import { NoticeActions } from '../state/notice';
import { progressFeature } from '../state/progress.reducer';
import { BootActions, bootFeature } from './boot.reducer';
import { selectListening } from './found';
import { GiveClues } from './give-clues';
import { listeningSources as sources } from './sources';

/** Listening: boards are heard as they arrive, without a subnet. */
@Component({
  selector: 'nm-listen-panel',
  imports: [Button, GiveClues],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './listen-panel.html',
  styleUrl: './listen-panel.css',
})
export class ListenPanel {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly editor = inject(PlanEditor);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  protected readonly problem = this.store.selectSignal(bootFeature.selectListenProblem);
  /** What can be listened for; calls only where the plan has the boards make them. */
  protected readonly sources = computed(() =>
    sources.filter(({ id }) => id !== 'call-in' || callInOf(this.editor.plan().extras) !== null),
  );
  protected readonly watch = computed(() => this.progress()?.watch ?? null);
  /** Hosts that were heard and are none of the proved devices. */
  protected readonly heard = computed(() => this.progress()?.hosts.length ?? 0);
  protected readonly on = this.store.selectSignal(selectListening);
  protected readonly places = signal<readonly Place[] | null>(null);
  protected readonly chosen = signal<ReadonlySet<string>>(new Set());
  protected readonly used = signal<ReadonlySet<ListeningSource>>(
    new Set(sources.map(({ id }) => id).filter((id) => id !== 'list-file')),
  );
  private readonly typedPath = signal<string | null>(null);
  /** Where the list lies; as it was the last time, until another path is typed. */
  protected readonly listPath = computed(() => this.typedPath() ?? this.watch()?.listPath ?? '');
  protected readonly withList = computed(() => this.used().has('list-file'));
  /** Whether enough is chosen to listen. */
  protected readonly ready = computed(() => {
    const ids = this.chosenSources().map(({ id }) => id);
    return (
      ids.length > 0 &&
      (this.chosen().size > 0 || !ids.some(listensOnNetworks)) &&
      (!this.withList() || this.listPath().trim() !== '')
    );
  });
  protected readonly giving = signal(false);

  protected readonly chosenSources = computed(() => this.sources().filter(({ id }) => this.used().has(id)));
  protected readonly usedTitles = computed(() =>
    this.chosenSources()
      .map(({ title }) => title)
      .join(', '),
  );

  /** What each source came to, while it is listened, and why one is off. */
  protected readonly states = computed(() =>
    (this.watch()?.sources ?? []).map(({ source, on, message }) => ({
      title: clueTitles[source],
      on,
      message,
    })),
  );

  /** Sources of the last listening that could not be had, unless it reached its end without them. */
  protected readonly off = computed(() =>
    this.watch()?.state === 'done' ? [] : this.states().filter(({ on, message }) => !on && message !== ''),
  );

  private readonly subnet = computed(() => searchSubnet(this.editor.plan(), this.networks()));
  /** How this computer would send to the boards' network; asked again when that is another one. */
  private readonly way = toSignal(
    toObservable(this.subnet).pipe(
      debounceTime(500),
      switchMap((subnet) =>
        subnetFault(subnet) === null
          ? this.api.way(subnet).pipe(
              map(({ way }) => way),
              catchError(() => of(null)),
            )
          : of(null),
      ),
    ),
    { initialValue: null },
  );

  /** Whether the boards can be heard from where this computer is. */
  protected readonly meeting = computed(() => {
    const places = this.places();
    return places && meetingOf(places, this.subnet(), this.way());
  });

  constructor() {
    this.api.places().subscribe({
      next: (places) => this.places.set(places),
      error: (error: unknown) => this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) })),
    });
    // The network on which the boards are to appear is proposed; where nobody knows, the person chooses.
    effect(() => {
      const subnet = searchSubnet(this.editor.plan(), this.networks());
      const there = (this.places() ?? []).filter((place) => inSubnet(place.address, subnet));
      untracked(() => {
        if (this.chosen().size === 0) this.chosen.set(new Set(there.map(({ name }) => name)));
      });
    });
  }

  protected setPath(path: string): void {
    this.typedPath.set(path);
  }

  protected toggle<T>(from: ReadonlySet<T>, one: T): Set<T> {
    const next = new Set(from);
    if (!next.delete(one)) next.add(one);
    return next;
  }

  protected listen(): void {
    this.store.dispatch(
      BootActions.listenWanted({
        sources: this.chosenSources().map(({ id }) => id),
        places: [...this.chosen()],
        listPath: this.withList() ? this.listPath() : '',
      }),
    );
  }

  protected stop(): void {
    const watch = this.watch();
    if (watch) this.store.dispatch(BootActions.listenLeft({ watchId: watch.id }));
  }
}
