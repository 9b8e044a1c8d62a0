import {
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  signal,
  type OnDestroy,
  type OnInit,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { inSubnet, isSure } from '@nest-mark/core';
import { MovePlanSchema, wayTitles, type LoginWay, type MovePlan } from '@nest-mark/core/api';
import { instructionsOf, withNetwork, withoutNetwork, type WayId } from '@nest-mark/core/moving';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { networksFeature } from '../state/networks.reducer';
import { batchFeature } from '../state/batch.reducer';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { PlanEditor } from '../plan/plan-editor';
import { FindRows } from '../ui/find-rows';
import { loginTitles } from '../ui/login-titles';
import { moment } from '../ui/moment';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { MovePlanPanel } from './move-plan';
import { moveWords } from './move-words';
import { MoveActions, moveFeature } from './move.reducer';

/** A batch's move to another network: what it will be, and how far each board is. */
@Component({
  selector: 'nm-move-page',
  imports: [Button, DeviceLink, FindRows, FormsModule, MovePlanPanel, Select, SortHead],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './move-page.html',
  styleUrls: ['../ui/sheets.css', './move.css'],
})
export class MovePage implements OnInit, OnDestroy {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  protected readonly selected = this.store.selectSignal(selectSelectedDevices);
  private readonly batch = this.store.selectSignal(batchFeature.selectPlan);
  private readonly shelf = this.store.selectSignal(networksFeature.selectList);
  protected readonly read = this.store.selectSignal(moveFeature.selectRead);
  protected readonly move = this.store.selectSignal(moveFeature.selectMove);
  /** What is typed is saved first: it goes by the plan as the server has it. */
  protected readonly dirty = this.store.selectSignal(moveFeature.selectDirty);
  protected readonly problem = this.store.selectSignal(moveFeature.selectProblem);
  protected readonly titles = wayTitles;
  protected readonly words = moveWords;
  /** Of which device the ways are unfolded. */
  protected readonly open = signal<string | null>(null);
  private readonly chosen = signal<LoginWay | null>(null);

  protected readonly logins = computed(() =>
    (this.move()?.logins ?? []).map(({ way, lacks }) => ({ way, lacks, title: loginTitles[way] })),
  );
  protected readonly way = computed(
    () => this.chosen() ?? this.logins().find(({ lacks }) => lacks === '')?.way ?? 'bench-key',
  );
  protected readonly lacks = computed(() => this.logins().find(({ way }) => way === this.way())?.lacks ?? '');
  protected readonly now = computed(() => this.move()?.plan.bench === 'both');
  private readonly moving = computed(() => {
    const move = this.move();
    if (!move) return null;
    const network = (id: string | null) => this.shelf()?.find((one) => one.id === id) ?? null;
    const { fromId, toId, bridgeId } = move.plan;
    return {
      plan: move.plan,
      from: network(fromId),
      to: network(toId),
      bridge: network(bridgeId),
    };
  });
  protected readonly days = computed(() => {
    const names = new Map(this.views().map(({ device }) => [device.id, device.hostName]));
    const all = this.views().length;
    return (this.move()?.days ?? []).map((entry) => ({
      ...entry,
      when: entry.day === '' ? 'any day' : entry.last ? `by ${entry.day}` : entry.day,
      who:
        entry.deviceIds.length === all
          ? 'all'
          : entry.deviceIds.length > 6
            ? `${String(entry.deviceIds.length)} boards`
            : entry.deviceIds.map((id) => names.get(id) ?? '').join(', '),
    }));
  });
  protected readonly rows = computed(() => {
    const move = this.move();
    if (!move) return [];
    const byId = new Map(this.views().map((view) => [view.device.id, view]));
    const stands = new Map(move.boards.map((board) => [board.deviceId, board]));
    return move.devices.flatMap(({ deviceId, ways, chosen }) => {
      const view = byId.get(deviceId);
      if (!view) return [];
      const stand = stands.get(deviceId) ?? null;
      const seen = view.progress?.seen ?? null;
      return [
        {
          deviceId,
          view,
          ways,
          chosen: ways.find(({ id }) => id === chosen) ?? null,
          reached: !move.plan.outOfReach.includes(deviceId),
          last: seen && {
            how: isSure(seen) ? 'proved' : 'heard',
            address: seen.address,
            when: moment(seen.at),
          },
          stand: stand && { ...stand, ...moveWords[stand.state], when: moment(stand.at) },
        },
      ];
    });
  });
  protected readonly table = new TableView(this.rows, {
    name: ({ view }) => `${view.device.hostName} ${view.device.mark}`,
    nest: ({ view }) => view.device.nest,
    way: ({ chosen }) => (chosen ? wayTitles[chosen.id] : 'no way'),
    state: ({ stand }) => stand?.word ?? '',
  });
  /** Boards that can be moved from here and have not moved yet: those that are selected, or all. */
  protected readonly meant = computed(() => {
    const chosen = new Set(this.selected().map(({ device }) => device.id));
    return this.rows()
      .filter(
        ({ deviceId, ways, stand, view }) =>
          (chosen.size === 0 || chosen.has(deviceId)) &&
          isSure(view.facts.seen) &&
          // Whoever reaches the new network only reaches boards there by cable.
          (this.move()?.plan.bench === 'new' ||
            ways.some(({ id, open }) => open && (id === 'over-old' || id === 'bridge'))) &&
          stand?.sign !== 'well',
      )
      .map(({ deviceId }) => deviceId);
  });
  /** Boards that came over and still have the old network; that they are proved there, the server and they themselves say. */
  protected readonly leaving = computed(() => {
    const chosen = new Set(this.selected().map(({ device }) => device.id));
    return this.rows()
      .filter(
        ({ deviceId, stand }) => stand?.state === 'moved' && (chosen.size === 0 || chosen.has(deviceId)),
      )
      .map(({ deviceId }) => deviceId);
  });
  /** Whether somebody was asked once more before the old network is taken off. */
  protected readonly asking = signal(false);
  protected readonly moved = computed(() => this.rows().filter(({ stand }) => stand?.sign === 'well').length);
  protected readonly hands = computed(() => this.rows().filter(({ stand }) => stand?.sign === 'hand').length);

  ngOnInit(): void {
    this.store.dispatch(MoveActions.lookedAt());
  }

  ngOnDestroy(): void {
    this.store.dispatch(MoveActions.lookedAway());
  }

  protected begin(): void {
    const plan = MovePlanSchema.parse({});
    // Where the boards are now, as far as their addresses tell it.
    const at = this.views().flatMap(({ progress }) => progress?.seen?.address ?? []);
    const here = this.shelf()?.find(({ subnet }) => at.some((address) => inSubnet(address, subnet)));
    const fromId = here?.id ?? this.batch()?.networks[0]?.networkId ?? null;
    this.store.dispatch(MoveActions.planned({ plan: { ...plan, fromId } }));
  }

  /** Cards that are written from now on join the new network too. */
  protected intoPlan(): void {
    const move = this.move()?.plan;
    const networkId = move?.toId ?? null;
    if (!move || networkId === null) return;
    this.editor.edit((plan) => withNetwork(plan, networkId, move.priority));
  }

  protected choose(way: LoginWay): void {
    this.chosen.set(way);
  }

  protected start(): void {
    this.store.dispatch(MoveActions.started({ task: 'move', deviceIds: this.meant(), way: this.way() }));
  }

  protected takeOff(): void {
    this.asking.set(false);
    this.store.dispatch(
      MoveActions.started({ task: 'take-off', deviceIds: this.leaving(), way: this.way() }),
    );
  }

  /** Cards that are written from now on do not join the old network any more. */
  protected outOfPlan(): void {
    const networkId = this.move()?.plan.fromId ?? null;
    if (networkId !== null) this.editor.edit((plan) => withoutNetwork(plan, networkId));
  }

  protected stop(): void {
    this.store.dispatch(MoveActions.stopped());
  }

  protected putAway(): void {
    this.store.dispatch(MoveActions.putAway());
  }

  /** Whether a cable of the new network reaches a board. */
  protected reach(deviceId: string, reached: boolean): void {
    this.edit(({ outOfReach }) => {
      const others = outOfReach.filter((id) => id !== deviceId);
      return { outOfReach: reached ? others : [...others, deviceId] };
    });
  }

  /** Makes it the move of those that are selected, or of all again. */
  protected only(selected: boolean): void {
    this.edit(() => ({ deviceIds: selected ? this.selected().map(({ device }) => device.id) : [] }));
  }

  private edit(change: (plan: MovePlan) => Partial<MovePlan>): void {
    const plan = this.move()?.plan;
    if (plan) this.store.dispatch(MoveActions.edited({ plan: { ...plan, ...change(plan) } }));
  }

  protected unfold(deviceId: string): void {
    this.open.update((now) => (now === deviceId ? null : deviceId));
  }

  protected instructions(way: WayId): string[] {
    const moving = this.moving();
    return moving ? instructionsOf(moving, way) : [];
  }
}
