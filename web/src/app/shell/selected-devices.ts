import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { deviceStanding } from '@nest-mark/core';
import { Clock } from '../state/clock';
import { selectSelectedDevices } from '../state/selectors';
import { DeviceLink } from '../tray/device-link';
import { standingWords } from '../tray/words';

/** More than so many are counted. */
const MOST = 12;

/** How the selected devices are, each with the way to its passport. */
@Component({
  selector: 'nm-selected-devices',
  imports: [DeviceLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section aria-labelledby="selected-title">
      <h2 id="selected-title">Selected</h2>
      <ul>
        @for (row of rows(); track row.view.device.id) {
          <li>
            <nm-device-link [view]="row.view" />
            <span class="small" [class.clay]="row.words.hand"
              >{{ row.view.device.nest }}, {{ row.words.word }} {{ row.words.since }}</span
            >
            @if (row.address) {
              <span class="mono small">{{ row.address }}</span>
            }
          </li>
        }
      </ul>
      @if (more() > 0) {
        <p class="small soft">and {{ more() }} more</p>
      }
    </section>
  `,
  styles: `
    section {
      padding: 1rem 1rem 0;
    }
    ul {
      list-style: none;
      margin: 0.5rem 0 0;
      padding: 0;
      display: flex;
      flex-direction: column;
      gap: 0.625rem;
    }
    li {
      display: flex;
      flex-direction: column;
    }
  `,
})
export class SelectedDevices {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly views = this.store.selectSignal(selectSelectedDevices);
  protected readonly more = computed(() => Math.max(0, this.views().length - MOST));
  protected readonly rows = computed(() => {
    const now = this.clock.now();
    return this.views()
      .slice(0, MOST)
      .map((view) => ({
        view,
        words: standingWords(deviceStanding(view.facts, now), now),
        address: view.progress?.seen?.address ?? '',
      }));
  });
}
