import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { emptyNetwork, networkTitle } from '@nest-mark/core';
import { shownName, takenFromAir, type HeardNetwork } from '@nest-mark/core/in-air';
import { Button } from 'primeng/button';
import { AirList } from '../air/air-list';
import { CodeTaker } from '../air/code-taker';
import { SavedTaker } from '../air/saved-taker';
import { NetworksActions, networksFeature } from '../state/networks.reducer';
import { NetworkEditor } from './network-editor';

/** The shelf of networks, shared by all batches. */
@Component({
  selector: 'nm-networks-page',
  imports: [AirList, Button, CodeTaker, NetworkEditor, SavedTaker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="row">
      <h1>Networks</h1>
      <span class="soft small grow">Shared by all batches; what is changed here changes everywhere.</span>
      <p-button label="New network" (onClick)="add()" />
    </div>
    <section class="sheet" aria-labelledby="air-title">
      <h2 id="air-title">On the air here</h2>
      <nm-air-list label="Put on the shelf" [skipShelved]="true" (chosen)="shelve($event)" />
      <nm-code-taker />
      <nm-saved-taker />
    </section>
    @if (networks(); as networks) {
      @for (network of networks; track network.id) {
        <section class="sheet" [attr.aria-label]="network.name">
          <div class="row">
            <h2 class="grow cut" [title]="network.name">{{ network.name }}</h2>
            <p-button
              label="Take off the shelf"
              severity="secondary"
              [outlined]="true"
              (onClick)="remove(network.id)"
            />
          </div>
          <nm-network-editor [networkId]="network.id" />
        </section>
      } @empty {
        <p class="sheet">No networks yet. Make the one that is on the air at your bench first.</p>
      }
    } @else {
      <p aria-busy="true">Looking at the shelf…</p>
    }
  `,
  styles: `
    :host,
    section {
      display: flex;
      flex-direction: column;
      gap: 0.875rem;
    }
  `,
})
export class NetworksPage {
  private readonly store = inject(Store);
  private readonly list = this.store.selectSignal(networksFeature.selectList);
  private readonly facts = this.store.selectSignal(networksFeature.selectFacts);
  protected readonly networks = computed(() =>
    this.list() === null
      ? null
      : this.facts().map((network) => ({ id: network.id, name: networkTitle(network) })),
  );

  protected add(): void {
    const title = `Network ${String((this.list()?.length ?? 0) + 1)}`;
    this.store.dispatch(NetworksActions.addWanted({ network: emptyNetwork(title), plan: false }));
  }

  /** Under its own name, with all that is heard of it; only its key has to be typed. */
  protected shelve(heard: HeardNetwork): void {
    const network = takenFromAir(emptyNetwork(shownName(heard.ssidHex).trim().slice(0, 80)), heard);
    this.store.dispatch(NetworksActions.addWanted({ network, plan: false }));
  }

  protected remove(id: string): void {
    this.store.dispatch(NetworksActions.removalWanted({ id }));
  }
}
