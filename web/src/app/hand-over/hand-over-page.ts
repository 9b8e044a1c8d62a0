import { ChangeDetectionStrategy, Component, computed, inject, type OnDestroy } from '@angular/core';
import { RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { isSure, mayBeHandedOver } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { ProgressActions } from '../state/progress.reducer';
import { selectDeviceViews, selectSelectedDevices } from '../state/selectors';
import { HandOverActions, handOverFeature } from './hand-over.reducer';

/** Devices leave the bench: what is told of all of them, and a part for each thing that goes along. */
@Component({
  selector: 'nm-hand-over-page',
  imports: [Button, RouterLink, RouterLinkActive, RouterOutlet],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './hand-over-page.html',
  styleUrl: './hand-over-page.css',
})
export class HandOverPage implements OnDestroy {
  private readonly store = inject(Store);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  protected readonly problem = this.store.selectSignal(handOverFeature.selectProblem);
  protected readonly parts = [
    { path: '', title: 'Devices' },
    { path: 'labels', title: 'Labels' },
    { path: 'login', title: 'Logging in' },
    { path: 'credentials', title: 'Credentials' },
    { path: 'tools', title: 'Other tools' },
    { path: 'outside', title: 'From outside' },
    { path: 'exposure', title: 'How exposed' },
    { path: 'record', title: 'Record' },
  ] as const;

  protected readonly proved = computed(() => this.views().filter(({ facts }) => isSure(facts.seen)));
  /** Devices whose card was copied: nobody can say which of the boards is meant. */
  protected readonly copied = computed(() =>
    this.views().flatMap(({ device, progress }) => {
      const seen = progress?.seen;
      return seen && seen.alsoAt.length > 0
        ? [{ name: device.hostName, places: [seen.address, ...seen.alsoAt].join(' and ') }]
        : [];
    }),
  );
  protected readonly ready = computed(() => {
    const chosen = this.selected().filter(({ facts }) => isSure(facts.seen));
    const all = chosen.length > 0 ? chosen : this.proved();
    return all.filter(({ facts }) => mayBeHandedOver(facts));
  });

  constructor() {
    this.store.dispatch(HandOverActions.lookedAt());
  }

  ngOnDestroy(): void {
    this.store.dispatch(HandOverActions.lookedAway());
  }

  protected handOver(): void {
    this.store.dispatch(
      ProgressActions.handOverNoted({ deviceIds: this.ready().map(({ device }) => device.id) }),
    );
  }
}
