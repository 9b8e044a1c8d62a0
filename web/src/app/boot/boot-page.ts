import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  bootWait,
  clock,
  findBoard,
  isSure,
  presenceOf,
  searchSubnet,
  settingsOf,
  unreadyCarriers,
  type BootWait,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { PlanEditor } from '../plan/plan-editor';
import { Clock } from '../state/clock';
import { boardsFeature } from '../state/boards.reducer';
import { networksFeature } from '../state/networks.reducer';
import { ProgressActions, progressFeature } from '../state/progress.reducer';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { FindRows } from '../ui/find-rows';
import { SortHead } from '../ui/sort-head';
import { TableView } from '../ui/table-view';
import { BootActions, bootFeature } from './boot.reducer';
import { HeardHosts } from './heard-hosts';
import { ListenPanel } from './listen-panel';
import { NotThere } from './not-there';
import { selectMissing, selectSearching, selectUnpowered } from './found';

/** What the waiting means, in words. */
function waitText(wait: BootWait | null): string {
  if (!wait) return '';
  const normal = clock(wait.normalUntil);
  return wait.late
    ? `${clock(wait.waited)} since power-on; longer than the ${normal} that are still normal`
    : `${clock(wait.waited)} since power-on; usual ${clock(wait.usual)}, normal until ${normal}${
        wait.there === null ? '' : `; ${String(wait.there)} of 10 such boards were there by now`
      }`;
}

/** Waiting, searching, and who it is that answered. */
@Component({
  selector: 'nm-boot-page',
  imports: [
    Button,
    Checkbox,
    DeviceLink,
    FindRows,
    FormsModule,
    HeardHosts,
    InputText,
    ListenPanel,
    NotThere,
    SortHead,
  ],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './boot-page.html',
  styleUrl: './boot-page.css',
})
export class BootPage {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly editor = inject(PlanEditor);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  private readonly unpowered = this.store.selectSignal(selectUnpowered);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  protected readonly missing = this.store.selectSignal(selectMissing);
  protected readonly problem = this.store.selectSignal(bootFeature.selectProblem);
  protected readonly repeat = this.store.selectSignal(bootFeature.selectRepeat);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  protected readonly subnet = computed(() => searchSubnet(this.editor.plan(), this.networks()));
  protected readonly last = computed(() => this.progress()?.search ?? null);
  protected readonly running = this.store.selectSignal(selectSearching);
  protected readonly strangers = computed(() => this.progress()?.strangers ?? []);
  protected readonly proved = computed(() => this.views().filter(({ facts }) => isSure(facts.seen)).length);
  /** Devices that can be there: with a card that was verified here, or seen with one from elsewhere. */
  private readonly expected = computed(() =>
    this.views().filter(({ facts }) => facts.card?.state === 'verified' || facts.seen !== null),
  );
  protected readonly total = computed(() => this.expected().length);
  protected readonly planned = computed(() => this.views().length);

  /** Devices whose carrier was not confirmed to be ready: they do not start from their flash. */
  protected readonly unready = computed(() => {
    const plan = this.editor.plan();
    return unreadyCarriers(
      this.views().map(({ device, progress }) => ({
        hostName: device.hostName,
        board: findBoard(this.boards(), settingsOf(plan, device).boardProfileId),
        card: progress?.card?.state ?? null,
        carrierDoneAt: progress?.carrierDoneAt ?? null,
      })),
    );
  });

  /** Whom the power button means: the selection where it holds cards, otherwise everybody who has one. */
  protected readonly toPower = computed(() => {
    const chosen = this.selected().filter(({ facts }) => facts.card?.state === 'verified');
    return chosen.length > 0 ? chosen : this.unpowered();
  });

  protected readonly rows = computed(() => {
    const now = this.clock.now();
    return this.expected()
      .map((view) => {
        const { device, facts, progress } = view;
        const seen = progress?.seen ?? null;
        const standing = presenceOf(facts, now);
        const last = this.last();
        return {
          ...device,
          view,
          standing,
          hand: standing !== 'proved' && standing !== 'booting',
          seen,
          heard: progress?.heard ?? null,
          quiet: seen !== null && last?.state === 'done' && seen.at < last.at,
          wait: waitText(bootWait(facts, now)),
        };
      })
      .sort((a, b) => Number(a.seen !== null) - Number(b.seen !== null));
  });

  protected readonly table = new TableView(this.rows, {
    name: ({ hostName, mark }) => `${hostName} ${mark}`,
    nest: ({ nest }) => nest,
    standing: ({ standing }) => standing,
    address: ({ seen }) => seen?.address ?? '',
  });

  protected setSubnet(subnet: string): void {
    this.editor.edit((plan) => ({ ...plan, network: { ...plan.network, subnet } }), 'network.subnet');
  }

  protected power(): void {
    this.store.dispatch(
      ProgressActions.poweredNoted({ deviceIds: this.toPower().map(({ device }) => device.id) }),
    );
  }

  protected search(): void {
    this.store.dispatch(BootActions.searchWanted());
  }

  protected leave(searchId: string): void {
    this.store.dispatch(BootActions.searchLeft({ searchId }));
  }

  protected setRepeat(repeat: boolean): void {
    this.store.dispatch(BootActions.repeatSet({ repeat }));
  }
}
