import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { ChosenDevices } from '../plan/chosen-devices';
import { selectionFeature } from '../state/selection';
import { FindingsColumn } from './findings-column';
import { Layout } from './layout';
import { SelectedDevices } from './selected-devices';

/** What stands beside the work: the selected devices, and what the checks say. */
@Component({
  selector: 'nm-side-column',
  imports: [ChosenDevices, FindingsColumn, SelectedDevices],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (selected()) {
      @if (planning()) {
        @defer {
          <nm-chosen-devices />
        }
      } @else {
        <nm-selected-devices />
      }
    }
    <nm-findings-column />
  `,
  styles: `
    :host {
      display: block;
      border-left: 1px solid var(--line-strong);
      overflow: auto;
      background: var(--paper);
    }
    @media (max-width: 47.5em) {
      :host {
        border-left: 0;
        border-top: 1px solid var(--line-strong);
      }
    }
  `,
})
export class SideColumn {
  private readonly layout = inject(Layout);
  private readonly ids = inject(Store).selectSignal(selectionFeature.selectIds);
  protected readonly selected = computed(() => this.ids().length > 0);
  /** Their own settings stand where devices are planned, elsewhere how they are. */
  protected readonly planning = computed(() => this.layout.view() === 'plan');
}
