import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  BoardProfileSchema,
  wifiSecurityTitles,
  type ShelvedBoard,
  type WifiSecurity,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';

type NumberField =
  | 'memoryMiB'
  | 'carrierJumpers'
  | 'idleMilliamp'
  | 'typicalMilliamp'
  | 'peakMilliamp'
  | 'supplyAmps'
  | 'minVolts'
  | 'firstBootSeconds'
  | 'laterBootSeconds'
  | 'speed';

interface Choice {
  field: 'wordBits' | 'storage' | 'video' | 'usb' | 'powerSocket' | 'cameraRibbon';
  label: string;
  options: { id: string | number; label: string }[];
}

const named = (...ids: string[]): { id: string; label: string }[] => ids.map((id) => ({ id, label: id }));
const choices: readonly Choice[] = [
  {
    field: 'wordBits',
    label: 'Widest system',
    options: [
      { id: 64, label: '64 bit' },
      { id: 32, label: '32 bit' },
    ],
  },
  {
    field: 'storage',
    label: 'Starts from',
    options: [
      { id: 'card', label: 'Memory card' },
      { id: 'emmc', label: 'Soldered flash (eMMC)' },
      { id: 'usb', label: 'USB drive' },
    ],
  },
  { field: 'video', label: 'Video socket', options: named('full', 'mini', 'micro', 'none') },
  { field: 'usb', label: 'USB socket', options: named('full', 'micro', 'none') },
  { field: 'powerSocket', label: 'Power by', options: named('USB-C', 'micro USB', 'barrel', 'terminals') },
  { field: 'cameraRibbon', label: 'Camera ribbon', options: named('narrow', 'wide', 'none') },
];
const numbers: readonly { field: NumberField; label: string; step: number; blank: boolean }[] = [
  { field: 'memoryMiB', label: 'Memory, MiB', step: 1, blank: false },
  { field: 'carrierJumpers', label: 'Jumpers on the carrier', step: 1, blank: false },
  { field: 'idleMilliamp', label: 'Idle, mA at 5 V', step: 1, blank: true },
  { field: 'typicalMilliamp', label: 'Typical, mA', step: 1, blank: true },
  { field: 'peakMilliamp', label: 'Peak, mA', step: 1, blank: true },
  { field: 'supplyAmps', label: 'Supply asked for, A', step: 0.1, blank: true },
  { field: 'minVolts', label: 'Least voltage, V', step: 0.01, blank: false },
  { field: 'firstBootSeconds', label: 'First boot, s', step: 1, blank: false },
  { field: 'laterBootSeconds', label: 'Later boot, s', step: 1, blank: false },
  { field: 'speed', label: 'Speed against full-size', step: 0.05, blank: false },
];
const securities = Object.keys(wifiSecurityTitles) as WifiSecurity[];

/** One board profile, changed or made anew. */
@Component({
  selector: 'nm-board-form',
  imports: [Button, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form class="sheet" aria-labelledby="board-form-title" (ngSubmit)="save()">
      <h2 id="board-form-title">
        {{ board().version === 0 && board().origin === 'own' ? 'New profile' : 'Change the profile' }}
      </h2>
      <div class="grid">
        <div class="field wide">
          <label for="board-title">Title, by what it can do</label>
          <input
            pInputText
            id="board-title"
            name="title"
            maxlength="80"
            autocomplete="off"
            [ngModel]="draft().title"
            (ngModelChange)="change({ title: $event })"
          />
        </div>
        <div class="field">
          <label for="board-set">Instruction set</label>
          <input
            pInputText
            id="board-set"
            name="set"
            maxlength="24"
            autocomplete="off"
            [ngModel]="draft().instructionSet"
            (ngModelChange)="change({ instructionSet: $event })"
          />
        </div>
        @for (choice of choices; track choice.field) {
          <div class="field">
            <label [id]="'board-' + choice.field + '-label'" [attr.for]="'board-' + choice.field">{{
              choice.label
            }}</label>
            <p-select
              [inputId]="'board-' + choice.field"
              [ariaLabelledBy]="'board-' + choice.field + '-label'"
              [name]="choice.field"
              [options]="choice.options"
              optionLabel="label"
              optionValue="id"
              [ngModel]="draft()[choice.field]"
              (ngModelChange)="choose(choice.field, $event)"
            />
          </div>
        }
        @for (entry of numbers; track entry.field) {
          <div class="field">
            <label [attr.for]="'board-' + entry.field">{{ entry.label }}</label>
            <input
              pInputText
              type="number"
              [id]="'board-' + entry.field"
              [name]="entry.field"
              [step]="entry.step"
              [placeholder]="entry.blank ? 'not known' : ''"
              [ngModel]="draft()[entry.field]"
              (ngModelChange)="number(entry.field, $event)"
            />
          </div>
        }
      </div>
      <div class="row" role="group" aria-label="Wi-Fi bands">
        <span class="label">Wi-Fi bands</span>
        @for (band of bands; track band) {
          <label class="box"
            ><input
              type="checkbox"
              [checked]="draft().wifiBands.includes(band)"
              (change)="toggleBand(band, $any($event.target).checked)"
            />{{ band }}</label
          >
        }
        <label class="box"
          ><input
            type="checkbox"
            [checked]="draft().ethernet"
            (change)="change({ ethernet: $any($event.target).checked })"
          />network socket</label
        >
        <label class="box"
          ><input
            type="checkbox"
            [checked]="draft().carrierSwitch"
            (change)="change({ carrierSwitch: $any($event.target).checked })"
          />switch on the carrier</label
        >
      </div>
      <div class="row" role="group" aria-label="Wi-Fi security that the radio knows">
        <span class="label">The radio knows</span>
        @for (security of securities; track security) {
          <label class="box"
            ><input
              type="checkbox"
              [checked]="draft().wifiSecurity.includes(security)"
              (change)="toggleSecurity(security, $any($event.target).checked)"
            />{{ titles[security] }}</label
          >
        }
      </div>
      @for (line of faults(); track line) {
        <p class="small clay">{{ line }}</p>
      }
      @if (problem()) {
        <p class="notice hand" role="alert">{{ problem() }}</p>
      }
      <div class="row">
        <p-button type="submit" label="Save the profile" [disabled]="faults().length > 0" />
        <button type="button" class="quiet" (click)="left.emit()">Leave it</button>
      </div>
    </form>
  `,
  styles: `
    form {
      display: flex;
      flex-direction: column;
      gap: 0.75rem;
    }
    .grid {
      display: grid;
      grid-template-columns: repeat(4, minmax(0, 1fr));
      gap: 0.625rem 0.875rem;
    }
    .wide {
      grid-column: span 3;
    }
    .box {
      display: flex;
      align-items: center;
      gap: 0.5rem;
      min-height: 40px;
    }
  `,
})
export class BoardForm {
  readonly board = input.required<ShelvedBoard>();
  readonly problem = input('');
  readonly saved = output<ShelvedBoard>();
  readonly left = output();
  protected readonly choices = choices;
  protected readonly numbers = numbers;
  protected readonly securities = securities;
  protected readonly titles = wifiSecurityTitles;
  protected readonly bands = ['2.4 GHz', '5 GHz', '6 GHz'] as const;
  protected readonly draft = linkedSignal(() => this.board());
  /** What keeps the profile from being kept, field by field. */
  protected readonly faults = computed(() => {
    const result = BoardProfileSchema.safeParse(this.draft());
    if (result.success) return [];
    return result.error.issues.map(({ path, message }) => {
      const entry = numbers.find(({ field }) => field === path[0]);
      return entry ? `${entry.label}: ${message}.` : message;
    });
  });

  protected change(change: Partial<ShelvedBoard>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }

  protected choose(field: Choice['field'], value: string | number): void {
    this.change({ [field]: value });
  }

  protected number(field: NumberField, value: number | null): void {
    this.change({ [field]: value });
  }

  protected toggleBand(band: (typeof this.bands)[number], on: boolean): void {
    const now = this.draft().wifiBands;
    this.change({ wifiBands: this.bands.filter((other) => (other === band ? on : now.includes(other))) });
  }

  protected toggleSecurity(security: WifiSecurity, on: boolean): void {
    const now = this.draft().wifiSecurity;
    this.change({
      wifiSecurity: securities.filter((other) => (other === security ? on : now.includes(other))),
    });
  }

  protected save(): void {
    if (this.faults().length === 0) this.saved.emit(this.draft());
  }
}
