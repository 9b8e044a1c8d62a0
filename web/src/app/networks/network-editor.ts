import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  channelMHz,
  countries,
  isChannel,
  ssidForms,
  wifiSecurityTitles,
  writtenKey,
  type Network,
  type WifiBand,
  type WifiSecurity,
} from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { airChanges, takenFromAir, type HeardNetwork } from '@nest-mark/core/in-air';
import { AirList } from '../air/air-list';
import { airFeature } from '../air/air.reducer';
import { CodeShown } from '../air/code-shown';
import { KeyTrial } from '../air/key-trial';
import { Api } from '../api/api';
import { bareNetwork, NetworksActions, networksFeature } from '../state/networks.reducer';
import { Field } from '../ui/field';
import { SecretInput } from '../ui/secret-input';

const securityOptions = (Object.keys(wifiSecurityTitles) as WifiSecurity[]).map((id) => ({
  id,
  label: wifiSecurityTitles[id],
}));
const countryOptions = countries.map(({ code, name }) => ({ code, label: `${code} · ${name}` }));
const purposes = [
  { id: 'bench', label: 'Bench: boards are prepared on it' },
  { id: 'site', label: 'Site: they will work on it' },
  { id: 'hotspot', label: 'Hotspot of a phone' },
  { id: 'spare', label: 'Spare' },
] as const;
const bands: readonly WifiBand[] = ['2.4 GHz', '5 GHz', '6 GHz'];

/** Everything that the shelf knows of one network; saved as one pauses. */
@Component({
  selector: 'nm-network-editor',
  imports: [AirList, Checkbox, CodeShown, Field, FormsModule, InputText, KeyTrial, SecretInput, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './network-editor.html',
  styleUrl: './network-editor.css',
})
export class NetworkEditor {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly list = this.store.selectSignal(networksFeature.selectList);
  private readonly edits = this.store.selectSignal(networksFeature.selectEdits);
  readonly networkId = input.required<string>();
  protected readonly securities = securityOptions;
  protected readonly countries = countryOptions;
  protected readonly purposes = [...purposes];
  protected readonly bands = bands;

  private readonly stored = computed(() => this.list()?.find(({ id }) => id === this.networkId()));
  protected readonly edit = computed(() => this.edits()[this.networkId()]);
  protected readonly network = computed((): Network | null => {
    const stored = this.stored();
    return this.edit()?.network ?? (stored ? bareNetwork(stored) : null);
  });
  protected readonly typed = computed(() => this.edit()?.secret ?? '');
  protected readonly secretState = computed(() => {
    const typed = this.edit()?.secret;
    if (typed !== undefined) return typed === '' ? ('missing' as const) : ('typed' as const);
    return this.stored()?.secret.state ?? ('missing' as const);
  });
  protected readonly written = computed(() => writtenKey(this.network()?.security ?? 'open'));
  protected readonly hex = computed(() => {
    const network = this.network();
    if (!network) return '';
    const { text, hex } = ssidForms(network);
    if (network.ssidForm === 'hex') return text === null ? 'No text in UTF-8.' : `As text: ${text}`;
    // Worth a look only where the eye cannot tell.
    return /^[\x21-\x7e]*( [\x21-\x7e]+)*$/.test(network.ssid) ? '' : `Octets on the air: ${hex}`;
  });
  protected readonly channelText = computed(() =>
    (this.network()?.channels ?? [])
      .map(({ band, channel }) => `${String(channel)}${band === '6 GHz' ? ' (6 GHz)' : ''}`)
      .join(', '),
  );
  protected readonly channelHint = computed(() =>
    (this.network()?.channels ?? [])
      .map(({ band, channel }) => `${String(channel)} is ${String(channelMHz(band, channel) ?? '?')} MHz`)
      .join(', '),
  );

  /** Whether a name is chosen from the air now. */
  protected readonly choosing = signal(false);
  private readonly air = this.store.selectSignal(airFeature.selectView);
  /** What of it is not as it is heard. */
  protected readonly changes = computed(() => {
    const network = this.network();
    const view = this.air();
    const hears = view?.adapters.find(({ name }) => name === view.look?.adapter)?.bands;
    return network && network.ssid !== '' && network.heard && view?.look && hears
      ? airChanges(network, view.look.networks, hears)
      : [];
  });

  protected readonly revealSecret = () => this.api.revealNetwork(this.networkId());

  protected change(change: Partial<Network>): void {
    this.store.dispatch(NetworksActions.edited({ id: this.networkId(), change }));
  }

  protected typeSecret(value: string): void {
    this.store.dispatch(NetworksActions.secretTyped({ id: this.networkId(), value }));
  }

  protected toggleBand(band: WifiBand, on: boolean): void {
    const now = this.network()?.bands ?? [];
    this.change({ bands: bands.filter((other) => (other === band ? on : now.includes(other))) });
  }

  /** Channels up to 14 are of the 2.4 GHz band, higher ones of 5 GHz, "(6 GHz)" tells the third. */
  protected setChannels(text: string): void {
    const channels = [...text.matchAll(/(?<!\d)(\d{1,3})(?!\d)\s*(\(6 GHz\))?/g)].map((match) => {
      const channel = Number(match[1]);
      const band: WifiBand = match[2] ? '6 GHz' : isChannel('2.4 GHz', channel) ? '2.4 GHz' : '5 GHz';
      return { band, channel };
    });
    this.change({ channels: channels.filter(({ channel }) => channel >= 1 && channel <= 253).slice(0, 40) });
  }

  protected setCount(field: 'poolSize' | 'clientLimit', value: number | null): void {
    const most = field === 'poolSize' ? 1_000_000 : 100_000;
    if (value === null || (Number.isInteger(value) && value >= 0 && value <= most))
      this.change({ [field]: value });
  }

  protected take(heard: HeardNetwork): void {
    const network = this.network();
    if (network) this.change(takenFromAir(network, heard));
    this.choosing.set(false);
  }

  protected theirs(): void {
    this.store.dispatch(NetworksActions.theirsTaken({ id: this.networkId() }));
  }

  protected mine(): void {
    this.store.dispatch(NetworksActions.mineKept({ id: this.networkId() }));
  }

  protected again(): void {
    this.store.dispatch(NetworksActions.saveDue({ id: this.networkId() }));
  }
}
