import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { clock, type Round } from '@nest-mark/core';
import { goesOn, progressFeature } from '../state/progress.reducer';
import { selectDevices } from '../state/selectors';
import { CardsActions } from './cards.reducer';
import { unfinishedOf } from './slots';

const words: Record<Round['state'], string> = {
  queued: 'waiting to begin',
  running: 'being written',
  done: 'ended',
  interrupted: 'interrupted: the program stopped',
  cancelled: 'stopped',
};

/** What was written in this batch so far, newest first; unfinished rounds can be taken up again. */
@Component({
  selector: 'nm-rounds-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (rounds().length > 0) {
      <section class="sheet" aria-labelledby="rounds-title">
        <h2 id="rounds-title">Rounds</h2>
        <table class="plain">
          <thead>
            <tr>
              <th>Round</th>
              <th>Began</th>
              <th>Took</th>
              <th>Cards</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (round of rounds(); track round.id) {
              <tr>
                <td>
                  <strong>{{ round.number }}</strong> {{ round.word }}
                </td>
                <td>{{ round.began }}</td>
                <td>{{ round.took }}</td>
                <td>
                  @for (card of round.cards; track card.slotId) {
                    <div [class.clay]="card.hand">
                      <span class="mono">{{ card.name }}</span> {{ card.word }}
                    </div>
                  }
                </td>
                <td>
                  @if (round.left > 0) {
                    <button type="button" (click)="resume(round.id)">
                      Write {{ round.left }} unfinished again …
                    </button>
                  }
                </td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    }
  `,
  styles: `
    button {
      min-height: 40px;
      padding: 0 0.75rem;
      background: var(--paper);
      color: var(--ink);
      border: 1px solid var(--line-strong);
      border-radius: 4px;
      cursor: pointer;
    }
  `,
})
export class RoundsPanel {
  private readonly store = inject(Store);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  private readonly devices = this.store.selectSignal(selectDevices);

  protected readonly rounds = computed(() => {
    const names = new Map(this.devices().map(({ id, hostName }) => [id, hostName]));
    const all = this.progress()?.rounds ?? [];
    return all.map((round) => {
      const ended = !goesOn(round);
      return {
        id: round.id,
        number: round.number,
        word: words[round.state],
        began: new Date(round.startedAt).toLocaleTimeString('en-GB'),
        took: round.endedAt === null ? '' : `${clock((round.endedAt - round.startedAt) / 1000)} min`,
        left: unfinishedOf(all, round.id).length,
        cards: round.cards.map(({ slotId, deviceId, state, message }) => ({
          slotId,
          name: names.get(deviceId) ?? 'removed device',
          word: message ? `${state}: ${message}` : state,
          hand: ended && state !== 'verified',
        })),
      };
    });
  });

  protected resume(roundId: string): void {
    this.store.dispatch(CardsActions.resumingAsked({ roundId }));
  }
}
