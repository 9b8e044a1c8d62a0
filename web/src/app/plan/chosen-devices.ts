import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  AddressError,
  countries,
  networkTitle,
  numberAddresses,
  PatternError,
  renumber,
  settingsOf,
  timeZones,
  withOverrides,
  type Join,
  type Overrides,
  type SettingName,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { boardsFeature } from '../state/boards.reducer';
import { networksFeature } from '../state/networks.reducer';
import { selectionFeature } from '../state/selection';
import { selectImageFacts } from '../state/selectors';
import { PlanEditor } from './plan-editor';

interface Choice {
  name: SettingName;
  title: string;
  options: { id: string; label: string }[];
  /** Id of what the chosen devices have; empty when they are as their batch, null when they are not alike. */
  value: string | null;
}

const countryOptions = countries.map(({ code, name }) => ({ id: code, label: `${code} · ${name}` }));
const zoneOptions = timeZones().map((id) => ({ id, label: id }));
const asBatch = { id: '', label: 'as the batch' };

/** What the chosen devices have otherwise than their batch, and naming them anew. */
@Component({
  selector: 'nm-chosen-devices',
  imports: [Button, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './chosen-devices.html',
  styleUrl: './chosen-devices.css',
})
export class ChosenDevices {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  private readonly ids = this.store.selectSignal(selectionFeature.selectIds);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  private readonly images = this.store.selectSignal(selectImageFacts);
  private readonly networks = this.store.selectSignal(networksFeature.selectFacts);
  protected readonly pattern = signal('tank-{n:02}');
  protected readonly first = signal<number | null>(1);
  protected readonly problem = signal('');
  protected readonly address = signal('');
  /** Only where the plan gives fixed addresses. */
  protected readonly fixed = computed(() => this.editor.plan().extras.wired.way === 'fixed');

  private readonly chosen = computed(() => {
    const ids = new Set(this.ids());
    return this.editor.plan().devices.filter(({ id }) => ids.has(id));
  });
  protected readonly count = computed(() => this.chosen().length);

  protected readonly choices = computed((): Choice[] => [
    this.choice(
      'boardProfileId',
      'Board',
      this.boards().map(({ id, title }) => ({ id, label: title })),
    ),
    this.choice(
      'imageId',
      'Image',
      this.images().map(({ id, title }) => ({ id, label: title })),
    ),
    this.choice('country', 'Country', countryOptions),
    this.choice('timeZone', 'Time zone', zoneOptions),
    this.choice('passwordLogin', 'Login by password', [
      { id: 'yes', label: 'allowed' },
      { id: 'no', label: 'not allowed' },
    ]),
  ]);
  protected readonly userName = computed(() => this.shared('userName') ?? '');
  protected readonly locale = computed(() => this.shared('locale') ?? '');
  protected readonly keys = computed(() => this.shared('keys') ?? '');

  private shared(name: 'userName' | 'locale' | 'keys'): string | null {
    const values = new Set(this.chosen().map(({ overrides }) => overrides[name] ?? ''));
    const [only] = values;
    return values.size === 1 ? (only ?? '') : null;
  }

  /** Networks that the chosen devices join in place of the batch's, highest first; null when they are not alike. */
  protected readonly ownNetworks = computed(() => {
    const lists = new Set(this.chosen().map(({ overrides }) => JSON.stringify(overrides.networks ?? null)));
    if (lists.size > 1) return null;
    const own = this.chosen()[0]?.overrides.networks ?? [];
    return [...own]
      .sort((a, b) => b.priority - a.priority)
      .map((join) => {
        const network = this.networks().find(({ id }) => id === join.networkId);
        return { ...join, title: network ? networkTitle(network) : 'taken off the shelf' };
      });
  });
  protected readonly otherNetworks = computed(() => {
    const used = new Set(this.ownNetworks()?.map(({ networkId }) => networkId));
    return this.networks()
      .filter(({ id }) => !used.has(id))
      .map((network) => ({ id: network.id, label: networkTitle(network) }));
  });

  protected join(networkId: string | null): void {
    if (networkId === null) return;
    const own = this.ownNetworks() ?? [];
    const lowest = Math.min(20, ...own.map(({ priority }) => priority));
    this.setNetworks([...own, { networkId, priority: lowest - 10 }]);
  }

  protected leave(networkId: string): void {
    this.setNetworks((this.ownNetworks() ?? []).filter((join) => join.networkId !== networkId));
  }

  /** Without one of their own they join those of the batch again. */
  private setNetworks(joins: readonly Join[]): void {
    const networks = joins.map(({ networkId, priority }) => ({ networkId, priority }));
    this.override({ networks: networks.length > 0 ? networks : undefined }, '');
  }

  private choice(name: SettingName, title: string, options: Choice['options']): Choice {
    const values = new Set(
      this.chosen().map(({ overrides }) => {
        const own = overrides[name];
        if (own === undefined) return '';
        if (typeof own === 'boolean') return own ? 'yes' : 'no';
        return typeof own === 'string' ? own : '';
      }),
    );
    const [only] = values;
    return { name, title, options: [asBatch, ...options], value: values.size === 1 ? (only ?? '') : null };
  }

  protected choose(name: SettingName, id: string): void {
    const value = id === '' ? undefined : name === 'passwordLogin' ? id === 'yes' : id;
    this.override({ [name]: value }, '');
  }

  protected type(name: 'userName' | 'locale' | 'keys', value: string): void {
    this.override({ [name]: value === '' ? undefined : value }, `own-${name}`);
  }

  protected asBatch(): void {
    const [any] = this.chosen();
    if (!any) return;
    const names = Object.keys(settingsOf(this.editor.plan(), any)) as SettingName[];
    this.override(Object.fromEntries(names.map((name) => [name, undefined])), '');
  }

  protected rename(): void {
    try {
      const ids = new Set(this.ids());
      const first = this.first() ?? 1;
      this.editor.edit((plan) => renumber(plan, ids, this.pattern(), first));
      this.problem.set('');
    } catch (error) {
      if (!(error instanceof PatternError)) throw error;
      this.problem.set(error.message);
    }
  }

  /** Wired addresses one after the other from the first; an empty one takes them away. */
  protected numberWired(): void {
    try {
      const ids = new Set(this.ids());
      this.editor.edit((plan) => numberAddresses(plan, ids, this.address()));
      this.problem.set('');
    } catch (error) {
      if (!(error instanceof AddressError)) throw error;
      this.problem.set(error.message);
    }
  }

  private override(change: Overrides, field: string): void {
    const ids = new Set(this.ids());
    this.editor.edit((plan) => withOverrides(plan, ids, change), field);
  }
}
