import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { clock, type ShelvedBoard } from '@nest-mark/core';
import { BoardsActions, boardsFeature } from '../state/boards.reducer';
import { focusId } from '../ui/focus-field';
import { BoardForm } from './board-form';

const originWords: Record<ShelvedBoard['origin'], string> = {
  shipped: 'as it ships',
  changed: 'changed by you',
  own: 'your own',
};
const storageWords: Record<ShelvedBoard['storage'], string> = {
  card: 'card',
  emmc: 'soldered flash',
  usb: 'USB drive',
};

/** What must be set on the carrier while its flash is written. */
const carrierWords = ({ storage, carrierJumpers, carrierSwitch }: ShelvedBoard): string =>
  storage !== 'emmc'
    ? ''
    : `, ${carrierJumpers === 2 ? 'two jumpers' : carrierJumpers === 1 ? 'one jumper' : 'no jumper'}${carrierSwitch ? ' and a switch' : ''}`;

/** The shelf of board profiles: what boards can do, without makers' names. */
@Component({
  selector: 'nm-boards-page',
  imports: [BoardForm],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './boards-page.html',
  styleUrl: '../ui/shelf.css',
})
export class BoardsPage {
  private readonly store = inject(Store);
  private readonly list = this.store.selectSignal(boardsFeature.selectList);
  private readonly saves = this.store.selectSignal(boardsFeature.selectSaves);
  protected readonly problem = this.store.selectSignal(boardsFeature.selectProblem);
  /** The profile that is being edited, and the version that was read. */
  protected readonly open = signal<ShelvedBoard | null>(null);
  protected readonly rows = computed(() =>
    this.list().map((board) => ({
      board,
      origin: originWords[board.origin],
      width: `${String(board.wordBits)} bit, ${board.memoryMiB >= 1024 ? `${String(board.memoryMiB / 1024)} GiB` : `${String(board.memoryMiB)} MiB`}`,
      storage: `${storageWords[board.storage]}${carrierWords(board)}`,
      network:
        [...board.wifiBands, ...(board.ethernet ? ['wired'] : [])].join(', ') || 'none without an adapter',
      current: board.peakMilliamp === null ? 'not known' : `${(board.peakMilliamp / 1000).toFixed(2)} A`,
      boot: `${clock(board.firstBootSeconds)} min`,
    })),
  );

  constructor() {
    // The form closes once the server has kept the profile, not before.
    effect(() => {
      if (this.saves() > 0) this.open.set(null);
    });
    effect(() => {
      if (this.open()) focusId('board-title');
    });
  }

  protected add(from: ShelvedBoard): void {
    const id = `own-${crypto.randomUUID().slice(0, 8)}`;
    this.open.set({ ...from, id, title: `${from.title}, copy`.slice(0, 80), version: 0, origin: 'own' });
  }

  protected save(board: ShelvedBoard): void {
    const { version, origin: _origin, ...profile } = board;
    this.store.dispatch(BoardsActions.saveWanted({ board: profile, version }));
  }

  protected remove(id: string): void {
    this.store.dispatch(BoardsActions.removalWanted({ id }));
  }
}
