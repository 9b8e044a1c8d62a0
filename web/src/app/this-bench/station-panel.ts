import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { writerBlocks, type StationSettings } from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { StationActions, stationFeature } from '../state/station.reducer';

/** What is set at the bench: which readers, the largest card, sound, and how much memory writing may take. */
@Component({
  selector: 'nm-station-panel',
  imports: [Checkbox, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (settings(); as set) {
      <section class="sheet" aria-labelledby="settings-title">
        <h2 id="settings-title">Settings</h2>
        <div class="parts">
          <div class="row">
            <p-checkbox
              inputId="real-readers"
              [binary]="true"
              [ngModel]="set.realReaders"
              (ngModelChange)="change({ realReaders: $event })"
            />
            <label for="real-readers"
              >Offer the card readers of this computer, beside the practice bench</label
            >
          </div>
          <p class="small soft">
            Only media that were put in are offered, never a disk that this computer runs from. Unplug backup
            disks all the same before you write.
          </p>
          <div class="row">
            <p-checkbox
              inputId="practice-there"
              [binary]="true"
              [ngModel]="set.practice"
              (ngModelChange)="change({ practice: $event })"
            />
            <label for="practice-there"
              >Keep the practice bench out, with its simulated reader and boards</label
            >
          </div>
          <div class="row">
            <p-checkbox
              inputId="sound"
              [binary]="true"
              [ngModel]="set.sound"
              (ngModelChange)="change({ sound: $event })"
            />
            <label for="sound">A sound when a card can be pulled or needs a hand</label>
          </div>
          <div class="field">
            <label for="largest">Largest medium that is written, GB</label>
            <input
              pInputText
              id="largest"
              type="number"
              min="1"
              max="4000"
              [value]="set.largestGB"
              (change)="change({ largestGB: +$any($event.target).value })"
            />
          </div>
          <div class="field">
            <label id="block-label" for="block">Block size for new images</label>
            <p-select
              inputId="block"
              ariaLabelledBy="block-label"
              [options]="blocks"
              optionLabel="label"
              optionValue="id"
              [ngModel]="set.blockMiB"
              (ngModelChange)="change({ blockMiB: $event })"
            />
          </div>
          <div class="field">
            <label for="keep">Blocks kept in memory, 4 to 64</label>
            <input
              pInputText
              id="keep"
              type="number"
              min="4"
              max="64"
              [value]="set.keepBlocks"
              (change)="change({ keepBlocks: +$any($event.target).value })"
            />
          </div>
          <div class="field">
            <label for="in-flight">Writes under way for each card, 1 to 4</label>
            <input
              pInputText
              id="in-flight"
              type="number"
              min="1"
              max="4"
              [value]="set.inFlight"
              (change)="change({ inFlight: +$any($event.target).value })"
            />
          </div>
          <p class="small soft">With eight cards a round takes about {{ memory() }} MB of memory.</p>
        </div>
      </section>
    }
  `,
  styles: `
    .parts {
      display: grid;
      grid-template-columns: repeat(2, minmax(0, 1fr));
      gap: 0.75rem 1.5rem;
      margin-top: 0.5rem;
    }
    .row {
      flex-wrap: nowrap;
    }
  `,
})
export class StationPanel {
  private readonly store = inject(Store);
  protected readonly settings = this.store.selectSignal(stationFeature.selectSettings);
  protected readonly blocks = [1, 2, 4, 8].map((id) => ({ id, label: `${String(id)} MiB` }));
  /** Blocks that eight cards hold at most, as the writer counts them. */
  protected readonly memory = computed(() => {
    const set = this.settings();
    return set
      ? Math.round((writerBlocks(8, set.keepBlocks, set.inFlight) * set.blockMiB * 2 ** 20) / 1e6)
      : 0;
  });

  protected change(change: Partial<StationSettings>): void {
    const settings = this.settings();
    if (settings)
      this.store.dispatch(StationActions.settingsChanged({ settings: { ...settings, ...change } }));
  }
}
