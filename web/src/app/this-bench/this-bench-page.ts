import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { bothSizes } from '@nest-mark/core';
import type { DiskSurvey } from '@nest-mark/core/api';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { ServerEvents } from '../api/server-events';
import { selectSlots } from '../cards/slots';
import { whenever } from '../state/asked';
import { StationActions, stationFeature } from '../state/station.reducer';
import { groupCommand, rightsCommands } from './rights';
import { StationPanel } from './station-panel';

/** What trying a card came to, in words. */
interface Trial {
  busy: boolean;
  text: string;
  failed: boolean;
}

/** What becomes of a disk here, in words. */
function verdictOf({ offered, why, readable, writable, readOnly }: DiskSurvey, offering: boolean): string {
  if (!offered) return `Never offered. ${why}`;
  if (!readable) return 'This account may not even read it.';
  if (!writable) return 'This account may read it, not write it.';
  if (readOnly) return 'Write-protected: slide its lock to the other side.';
  return offering ? 'Offered as a slot.' : 'Could be offered.';
}

/** The readers as the system sees them, what right is missing and how to give it, and one card to try. */
@Component({
  selector: 'nm-this-bench-page',
  imports: [RouterLink, StationPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './this-bench-page.html',
  styleUrl: './this-bench-page.css',
})
export class ThisBenchPage {
  private readonly store = inject(Store);
  private readonly api = inject(CardsApi);
  private readonly settings = this.store.selectSignal(stationFeature.selectSettings);
  private readonly disks = signal<readonly DiskSurvey[] | null>(null);
  private readonly trials = signal<Readonly<Record<string, Trial>>>({});
  protected readonly problem = signal('');
  protected readonly commands = rightsCommands;
  protected readonly groupCommand = groupCommand;
  protected readonly offering = computed(() => this.settings()?.realReaders === true);
  protected readonly known = computed(() => this.settings() !== null);
  protected readonly rows = computed(() =>
    this.disks()?.map((disk) => ({
      ...disk,
      text: bothSizes(disk.size),
      verdict: verdictOf(disk, this.offering()),
      lacks: disk.offered && !(disk.readable && disk.writable),
    })),
  );
  protected readonly lacking = computed(() => this.rows()?.some(({ lacks }) => lacks) === true);
  private readonly all = this.store.selectSignal(selectSlots);
  protected readonly slots = computed(() =>
    this.all().map(({ proposed: { slotId, slotTitle, medium } }) => ({
      id: slotId,
      title: slotTitle,
      medium: medium && { ...medium, text: bothSizes(medium.identity.size) },
      trial: this.trials()[slotId],
    })),
  );

  constructor() {
    whenever(inject(ServerEvents), 'slots', 'settings')
      .pipe(takeUntilDestroyed(inject(DestroyRef)))
      .subscribe(() => void this.look());
    void this.look();
  }

  protected async look(): Promise<void> {
    try {
      this.disks.set(await firstValueFrom(this.api.disks()));
      this.problem.set('');
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    }
  }

  protected offer(): void {
    const settings = this.settings();
    if (settings)
      this.store.dispatch(StationActions.settingsChanged({ settings: { ...settings, realReaders: true } }));
  }

  /** Reads some of a card; a second press while it is read does nothing. */
  protected async try(slotId: string): Promise<void> {
    if (this.trials()[slotId]?.busy) return;
    const note = (trial: Trial): void => this.trials.update((all) => ({ ...all, [slotId]: trial }));
    note({ busy: true, text: 'Being read…', failed: false });
    try {
      const { octets, seconds } = await firstValueFrom(this.api.trySlot(slotId));
      const read = `${(octets / 1e6).toFixed(0)} MB in ${seconds.toFixed(1)} s, ${(octets / 1e6 / Math.max(seconds, 0.001)).toFixed(0)} MB/s`;
      note({
        busy: false,
        text: `Its beginning, middle and end could be read: ${read}. Nothing was written.`,
        failed: false,
      });
    } catch (error) {
      note({ busy: false, text: asProblem(error).detail, failed: true });
    }
  }
}
