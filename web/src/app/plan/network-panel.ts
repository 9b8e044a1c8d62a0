import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { countries, type Plan } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Checkbox } from 'primeng/checkbox';
import { Field } from '../ui/field';
import { PlanEditor } from './plan-editor';
import { SecretInput } from './secret-input';

const countryOptions = countries.map(({ code, name }) => ({ code, label: `${code} · ${name}` }));

@Component({
  selector: 'nm-network-panel',
  imports: [Checkbox, Field, FormsModule, InputText, SecretInput, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="network-panel">
      <h2 id="network-panel">Wi-Fi (WPA2, pre-shared key)</h2>
      <nm-field
        place="wifi.ssid"
        label="Network name"
        hint="Exactly as the access point announces it; capitals and spaces count."
      >
        <input
          pInputText
          class="mono"
          id="f-wifi.ssid"
          autocomplete="off"
          spellcheck="false"
          maxlength="255"
          [ngModel]="plan().wifi.ssid"
          (ngModelChange)="wifi({ ssid: $event }, 'wifi.ssid')"
        />
      </nm-field>
      <nm-field
        place="wifi.passphrase"
        label="Passphrase"
        hint="Only the key that follows from it goes onto the cards."
      >
        <nm-secret-input kind="wifiPassphrase" inputId="f-wifi.passphrase" />
      </nm-field>
      <div class="check">
        <p-checkbox
          inputId="f-wifi.hidden"
          [binary]="true"
          [ngModel]="plan().wifi.hidden"
          (ngModelChange)="wifi({ hidden: $event }, 'wifi.hidden')"
        />
        <label for="f-wifi.hidden">The network is hidden</label>
      </div>
      <nm-field
        place="country"
        label="Country where the boards will run"
        hint="The radio stays off without it. Local radio rules apply."
      >
        <p-select
          inputId="f-country"
          ariaLabelledBy="f-country-label"
          [options]="countries"
          optionLabel="label"
          optionValue="code"
          [filter]="true"
          placeholder="Choose"
          [ngModel]="plan().country || null"
          (ngModelChange)="editor.set({ country: $event }, 'country')"
        />
      </nm-field>
      <div class="pair">
        <nm-field place="network.subnet" label="Subnet they will appear on">
          <input
            pInputText
            class="mono"
            id="f-network.subnet"
            autocomplete="off"
            maxlength="64"
            placeholder="192.168.10.0/24"
            [ngModel]="plan().network.subnet"
            (ngModelChange)="network({ subnet: $event }, 'network.subnet')"
          />
        </nm-field>
        <nm-field place="network.port" label="Login port">
          <input
            pInputText
            class="mono"
            id="f-network.port"
            type="number"
            min="1"
            max="65535"
            [ngModel]="plan().network.port"
            (ngModelChange)="port($event)"
          />
        </nm-field>
      </div>
    </section>
  `,
  styleUrl: './panel.css',
})
export class NetworkPanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  protected readonly countries = countryOptions;

  protected wifi(change: Partial<Plan['wifi']>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, wifi: { ...plan.wifi, ...change } }), field);
  }

  protected network(change: Partial<Plan['network']>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, network: { ...plan.network, ...change } }), field);
  }

  protected port(value: number | null): void {
    if (value !== null && Number.isInteger(value) && value >= 1 && value <= 65_535)
      this.network({ port: value }, 'network.port');
  }
}
