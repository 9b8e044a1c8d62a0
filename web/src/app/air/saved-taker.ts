import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { wifiSecurityTitles } from '@nest-mark/core';
import { shownName } from '@nest-mark/core/in-air';
import { Button } from 'primeng/button';
import { networksFeature } from '../state/networks.reducer';
import { AirActions, airFeature } from './air.reducer';

const keepers = {
  NetworkManager: 'NetworkManager',
  wpa_supplicant: 'wpa_supplicant',
  practice: 'the practice bench',
} as const;

/** Networks that this computer has saved for itself, to put onto the shelf with their keys. */
@Component({
  selector: 'nm-saved-taker',
  imports: [Button],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <details>
      <summary>From what this computer has saved</summary>
      <div class="stack inner">
        <p class="small soft">
          This computer keeps the networks that it was on, with their keys. Their names are read when you ask,
          a key only when you put its network onto the shelf: it goes there sealed, as if you had typed it,
          and is in the log.
        </p>
        <div class="row">
          <p-button
            [label]="rows() === null ? 'Show their names' : 'Ask again'"
            severity="secondary"
            [outlined]="true"
            (onClick)="ask()"
          />
        </div>
        @if (problem(); as problem) {
          <p class="notice hand" role="alert">{{ problem.detail }}</p>
        }
        @if (why() !== '') {
          <p class="notice">{{ why() }}</p>
        }
        @if (rows(); as rows) {
          @if (rows.length > 0) {
            <table class="plain">
              <thead>
                <tr>
                  <th>Name</th>
                  <th>Security</th>
                  <th>Kept by</th>
                  <td></td>
                </tr>
              </thead>
              <tbody>
                @for (row of rows; track row.id) {
                  <tr>
                    <td class="mono name">{{ row.name }}</td>
                    <td>
                      {{ row.security }}
                      @if (row.keyElsewhere) {
                        <span class="small hand told">Its key is in somebody’s key ring: type it.</span>
                      }
                    </td>
                    <td>{{ row.by }}</td>
                    <td>
                      @if (row.shelved) {
                        <span class="small soft told">On the shelf.</span>
                      } @else if (row.cannot) {
                        <span class="small soft told">Boards cannot be prepared for that here.</span>
                      } @else {
                        <p-button
                          [label]="row.hasKey ? 'Put on the shelf, with its key' : 'Put on the shelf'"
                          [ariaLabel]="'Put on the shelf: ' + row.name"
                          size="small"
                          severity="secondary"
                          [outlined]="true"
                          [loading]="taking() === row.id"
                          [disabled]="taking() !== null"
                          (onClick)="take(row.id)"
                        />
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          } @else {
            <p class="small">This computer has saved none that the program can see.</p>
          }
        }
      </div>
    </details>
  `,
  styleUrl: '../ui/sheets.css',
  styles: `
    .inner {
      padding-top: 0.5rem;
    }
    .name {
      max-width: 18rem;
      overflow-wrap: anywhere;
    }
  `,
})
export class SavedTaker {
  private readonly store = inject(Store);
  private readonly saved = this.store.selectSignal(airFeature.selectSaved);
  private readonly taken = this.store.selectSignal(airFeature.selectTaken);
  protected readonly taking = this.store.selectSignal(airFeature.selectTaking);
  protected readonly problem = this.store.selectSignal(airFeature.selectSavedProblem);
  protected readonly why = computed(() => this.saved()?.problem ?? '');
  private readonly onShelf = this.store.selectSignal(networksFeature.selectNames);
  protected readonly rows = computed(
    () =>
      this.saved()?.profiles.map((profile) => ({
        ...profile,
        name: shownName(profile.ssidHex),
        by: keepers[profile.by],
        security: profile.security === null ? 'another kind' : wifiSecurityTitles[profile.security],
        cannot: profile.security === null,
        shelved: this.taken().includes(profile.id) || this.onShelf().has(profile.ssidHex),
      })) ?? null,
  );

  protected ask(): void {
    this.store.dispatch(AirActions.savedAsked());
  }

  protected take(id: string): void {
    this.store.dispatch(AirActions.savedTaken({ id }));
  }
}
