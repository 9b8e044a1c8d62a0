import { computed, inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { noCardFaults, type PracticeAction } from '@nest-mark/core';
import { batchFeature } from '../state/batch.reducer';
import { faultKinds } from './card-faults';
import { systemFaults } from './system-faults';
import { PracticeActions, practiceFeature } from './practice.reducer';

type OtherAir = NonNullable<Extract<PracticeAction, { do: 'other-air' }>['air']>;

/** The second network of the demo’s scenario: the keeper’s phone. */
const freshOther: OtherAir = {
  on: true,
  ssid: 'Keepers hotspot',
  passphrase: 'eelgrass and mud',
  bands: ['2.4 GHz'],
  hidden: false,
  apart: false,
  clients: null,
  sleepsAfter: null,
};

/** What hands do on the practice bench, for its page and its dock. */
@Injectable({ providedIn: 'root' })
export class PracticeHands {
  private readonly store = inject(Store);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  readonly view = this.store.selectSignal(practiceFeature.selectView);
  /** Whether a drill hides something: then the bench does not show it. */
  readonly drilling = computed(() => this.view()?.drill?.outcome === 'open');
  readonly problem = this.store.selectSignal(practiceFeature.selectProblem);

  enter(): void {
    this.store.dispatch(PracticeActions.entered());
  }

  act(action: PracticeAction): void {
    this.store.dispatch(PracticeActions.done({ action }));
  }

  /** Puts this batch's cards into their boards by their labels. */
  seat(): void {
    const batchId = this.batchId();
    if (batchId !== null) this.act({ do: 'seat', batchId });
  }

  setFault(cardId: string, kind: string): void {
    const faults = faultKinds.find(({ id }) => id === kind)?.faults ?? noCardFaults;
    this.act({ do: 'cardFaults', cardId, faults });
  }

  /** Spoils the system of a board, or puts right what can be. */
  spoil(nest: string, fault: string): void {
    this.act({ do: 'spoil', nest, fault: systemFaults.find(({ id }) => id === fault)?.id ?? null });
  }

  setAir(change: Partial<Extract<PracticeAction, { do: 'air' }>['air']>): void {
    const air = this.view()?.air;
    if (!air) return;
    const { network: _network, poolStart: _start, port: _port, ...settings } = air;
    this.act({ do: 'air', air: { ...settings, ...change } });
  }

  /** The second network as it is, with a change; null takes it away. */
  setOther(change: Partial<OtherAir> | null): void {
    const other = this.view()?.other;
    const { on, ssid, passphrase, bands, hidden, apart, clients, sleepsAfter } = other ?? freshOther;
    this.act({
      do: 'other-air',
      air: change && { on, ssid, passphrase, bands, hidden, apart, clients, sleepsAfter, ...change },
    });
  }
}
