import { ChangeDetectionStrategy, Component, computed, effect, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  candidates,
  countries,
  emptyNetwork,
  findBoard,
  joinObstacleTexts,
  joinsByNetworkManager,
  joinsByWpaSupplicant,
  networkTitle,
  searchSubnet,
  type Join,
  type Joined,
  type Plan,
} from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { NetworkEditor } from '../networks/network-editor';
import { boardsFeature } from '../state/boards.reducer';
import { NetworksActions, networksFeature } from '../state/networks.reducer';
import { Field } from '../ui/field';
import { focusField } from '../ui/focus-field';
import { PlanEditor } from './plan-editor';
import { VpnPanel } from './vpn-panel';

const countryOptions = countries.map(({ code, name }) => ({ code, label: `${code} · ${name}` }));

/** The networks that the boards shall join, in their order, and which one they will join at the bench. */
@Component({
  selector: 'nm-network-panel',
  imports: [Field, FormsModule, InputText, NetworkEditor, Select, VpnPanel],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './network-panel.html',
  styleUrls: ['./panel.css', './network-panel.css'],
})
export class NetworkPanel {
  private readonly store = inject(Store);
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  protected readonly countries = countryOptions;
  private readonly shelf = this.store.selectSignal(networksFeature.selectFacts);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);

  protected readonly joins = computed(() => {
    const board = findBoard(this.boards(), this.plan().boardProfileId);
    const judged = board ? candidates(board, this.plan().networks, this.shelf()) : [];
    return this.plan()
      .networks.map((join, index) => {
        const network = this.shelf().find(({ id }) => id === join.networkId);
        const obstacle = judged[index]?.obstacle ?? null;
        return {
          ...join,
          title: network ? networkTitle(network) : 'taken off the shelf',
          obstacle: obstacle === null ? '' : joinObstacleTexts[obstacle],
        };
      })
      .sort((a, b) => b.priority - a.priority);
  });
  protected readonly others = computed(() => {
    const used = new Set(this.plan().networks.map(({ networkId }) => networkId));
    return this.shelf()
      .filter(({ id }) => !used.has(id))
      .map((network) => ({ id: network.id, label: networkTitle(network) }));
  });
  protected readonly verdict = computed(() => {
    const board = findBoard(this.boards(), this.plan().boardProfileId);
    if (!board || this.plan().networks.length === 0) return [];
    const list = candidates(board, this.plan().networks, this.shelf());
    const said = (joined: Joined | null): string =>
      joined
        ? `${joined.networks.map(networkTitle).join(' or ')}. ${joined.why}`
        : 'none of them, as things are at the bench.';
    const manager = said(joinsByNetworkManager(list));
    const supplicant = said(joinsByWpaSupplicant(list));
    return manager === supplicant
      ? [`At the bench the boards join ${manager}`]
      : [`Images with NetworkManager join ${manager}`, `Images with wpa_supplicant alone join ${supplicant}`];
  });
  protected readonly subnetHint = computed(() => {
    const found = searchSubnet(this.plan(), this.shelf());
    return this.plan().network.subnet === '' && found !== ''
      ? `Left empty: ${found}, as their network says.`
      : 'Left empty: that of their network.';
  });

  /** Set while a network is being made, so that the focus goes to its name once it is there. */
  private making = false;

  constructor() {
    effect(() => {
      const newest = this.plan().networks.at(-1);
      if (!this.making || !newest) return;
      this.making = false;
      focusField('net.ssid', newest.networkId);
    });
  }

  protected add(networkId: string | null): void {
    if (networkId === null) return;
    const lowest = Math.min(20, ...this.plan().networks.map(({ priority }) => priority));
    this.set([...this.plan().networks, { networkId, priority: lowest - 10 }]);
  }

  protected make(): void {
    this.making = true;
    this.store.dispatch(NetworksActions.addWanted({ network: emptyNetwork(''), plan: true }));
  }

  protected remove(networkId: string): void {
    this.set(this.plan().networks.filter((join) => join.networkId !== networkId));
  }

  protected prioritise(networkId: string, priority: number | null): void {
    if (priority === null || !Number.isInteger(priority) || Math.abs(priority) > 999) return;
    this.set(
      this.plan().networks.map((join) => (join.networkId === networkId ? { ...join, priority } : join)),
      `priority-${networkId}`,
    );
  }

  protected network(change: Partial<Plan['network']>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, network: { ...plan.network, ...change } }), field);
  }

  protected port(value: number | null): void {
    if (value !== null && Number.isInteger(value) && value >= 1 && value <= 65_535)
      this.network({ port: value }, 'network.port');
  }

  private set(networks: Join[], field = ''): void {
    this.editor.edit((plan) => ({ ...plan, networks }), field);
  }
}
