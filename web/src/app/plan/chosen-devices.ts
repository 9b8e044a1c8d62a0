import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  countries,
  networkTitle,
  PatternError,
  renumber,
  settingsOf,
  timeZones,
  withOverrides,
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
    this.choice(
      'networks',
      'Network',
      this.networks().map((network) => ({ id: network.id, label: networkTitle(network) })),
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

  private choice(name: SettingName, title: string, options: Choice['options']): Choice {
    const values = new Set(
      this.chosen().map(({ overrides }) => {
        const own = overrides[name];
        if (own === undefined) return '';
        if (typeof own === 'boolean') return own ? 'yes' : 'no';
        return Array.isArray(own) ? (own[0]?.networkId ?? '') : (own ?? '');
      }),
    );
    const [only] = values;
    return { name, title, options: [asBatch, ...options], value: values.size === 1 ? (only ?? '') : null };
  }

  protected choose(name: SettingName, id: string): void {
    const value =
      id === ''
        ? undefined
        : name === 'passwordLogin'
          ? id === 'yes'
          : name === 'networks'
            ? [{ networkId: id, priority: 10 }]
            : id;
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

  private override(change: Overrides, field: string): void {
    const ids = new Set(this.ids());
    this.editor.edit((plan) => withOverrides(plan, ids, change), field);
  }
}
