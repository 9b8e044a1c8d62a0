import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { FieldView, Rehearsal } from '@nest-mark/core/api';
import { span } from '@nest-mark/core/in-field';
import { moment } from '../ui/moment';

/** Tries that are listed before somebody asks for the others. */
const SHOWN = 5;

/** How a rehearsal is done, the one that goes on, and the verdicts of all before. */
@Component({
  selector: 'nm-rehearsal-part',
  imports: [RouterLink],
  changeDetection: ChangeDetectionStrategy.OnPush,
  styleUrls: ['../ui/sheets.css', './field.css'],
  templateUrl: './rehearsal-part.html',
})
export class RehearsalPart {
  readonly view = input.required<FieldView>();
  protected readonly moment = moment;
  protected readonly now = computed(() => {
    const going = this.view().rehearsals.find(({ endedAt }) => endedAt === null);
    return going
      ? {
          ...going,
          boards: going.boards.map((board) => ({
            ...board,
            after: board.provedAt === null ? '' : span(board.provedAt - going.begunAt),
          })),
        }
      : null;
  });
  protected readonly before = computed(() =>
    this.view().rehearsals.flatMap((one) =>
      one.endedAt === null
        ? []
        : [
            {
              ...one,
              what: one.purpose === 'site' ? 'on site' : 'at home',
              begun: moment(one.begunAt),
              took: span(one.endedAt - one.begunAt),
            },
          ],
    ),
  );
  protected readonly shown = computed(() => this.before().slice(0, SHOWN));
  protected readonly more = computed(() => this.before().slice(SHOWN));
  /** Boards of the newest rehearsal that are not home yet. */
  protected readonly out = computed(() => {
    const some = this.view().boards.filter(({ home }) => home !== null);
    return some.length === 0 ? null : { of: some.length, home: some.filter(({ home }) => home).length };
  });

  protected verdict({ passed }: Pick<Rehearsal, 'passed'>): { word: string; sign: string } {
    return passed === true ? { word: 'passed', sign: 'well' } : { word: 'not passed', sign: 'hand' };
  }
}
