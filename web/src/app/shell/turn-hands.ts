import { inject, Injectable, signal } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { waitsForBringUp, type PracticeAction, type TurnAct } from '@nest-mark/core';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { BootActions } from '../boot/boot.reducer';
import { selectUnpowered } from '../boot/found';
import { BringUpActions } from '../bring-up/bring-up.reducer';
import { CardsActions } from '../cards/cards.reducer';
import { batchFeature } from '../state/batch.reducer';
import { NoticeActions } from '../state/notice';
import { ProgressActions } from '../state/progress.reducer';
import { selectDeviceViews, selectStops } from '../state/selectors';
import { focusId } from '../ui/focus-field';
import { GoToFinding } from './go-to-finding';
import { selectPractising } from './turn-facts';

/** Does what is your turn where a program can, or brings the person to where it is done. */
@Injectable({ providedIn: 'root' })
export class TurnHands {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  private readonly findings = inject(GoToFinding);
  private readonly batch = this.store.selectSignal(batchFeature.selectBatchState);
  private readonly unpowered = this.store.selectSignal(selectUnpowered);
  private readonly views = this.store.selectSignal(selectDeviceViews);
  private readonly stops = this.store.selectSignal(selectStops);
  /** Whether hands are at it: a second press would do it twice. */
  readonly busy = signal(false);
  readonly practising = this.store.selectSignal(selectPractising);

  /** What the button says. */
  label(act: TurnAct, count: number): string {
    const practising = this.practising();
    const cards = count === 1 ? 'it' : 'them';
    switch (act) {
      case 'put in':
        return practising ? `Practice: put ${cards} in` : 'Show the reader';
      case 'take out':
        return practising ? `Practice: take ${cards} out` : 'Show the reader';
      case 'power':
        return practising
          ? `Practice: seat and power ${cards}`
          : `${count === 1 ? 'It is' : 'They are'} powered`;
      case 'arm':
        return 'Read it …';
      case 'search':
        return count === 1 ? 'Look for it' : 'Look for them';
      case 'bring up':
        return count === 1 ? 'Bring it up' : 'Bring them up';
      case 'add devices':
      case 'add image':
      case 'see finding':
      case 'hand over':
        return 'Go there';
      case 'see cards':
      case 'see boot':
      case 'see bring up':
        return 'Show it';
    }
  }

  /** Does it, unless something is being done. */
  async do(act: TurnAct): Promise<void> {
    if (this.busy()) return;
    this.busy.set(true);
    try {
      await this.act(act);
    } catch (error) {
      this.store.dispatch(NoticeActions.failed({ problem: asProblem(error) }));
    } finally {
      this.busy.set(false);
    }
  }

  private async act(act: TurnAct): Promise<void> {
    const practising = this.practising();
    switch (act) {
      case 'add devices':
        await this.open('plan');
        return focusId('add-pattern');
      case 'add image':
        await this.open('images');
        return focusId('image-path');
      case 'see finding': {
        const [stop] = this.stops();
        if (stop) this.findings.go(stop);
        return;
      }
      case 'put in':
        return practising ? this.hands({ do: 'insertFresh' }) : this.open('cards');
      case 'take out':
        return practising ? this.hands({ do: 'pullIdle' }) : this.open('cards');
      case 'arm':
        await this.open('cards');
        return this.store.dispatch(CardsActions.armingAsked());
      case 'power':
        return this.power(practising);
      case 'search':
        await this.open('boot');
        this.store.dispatch(BootActions.repeatSet({ repeat: true }));
        return this.store.dispatch(BootActions.searchWanted());
      case 'see cards':
        return this.open('cards');
      case 'see boot':
        return this.open('boot');
      case 'see bring up':
        return this.open('bring-up');
      case 'bring up':
        await this.open('bring-up');
        return this.store.dispatch(BringUpActions.startWanted({ deviceIds: this.fresh() }));
      case 'hand over':
        return this.open('hand-over');
    }
  }

  /** Proved devices that nobody has begun to bring up. */
  private fresh(): string[] {
    return this.views()
      .filter(({ facts }) => waitsForBringUp(facts))
      .map(({ device }) => device.id);
  }

  private async open(view: string): Promise<void> {
    await this.router.navigate(['/batch', this.batch().id, view]);
  }

  /** What hands do on the practice bench. */
  private async hands(action: PracticeAction): Promise<void> {
    await firstValueFrom(this.api.practiceAction(action));
  }

  /** Notes whose card is ready as powered; on the practice bench they are seated and powered first. */
  private async power(practising: boolean): Promise<void> {
    const batchId = this.batch().id;
    if (batchId === null) return;
    const ready = this.unpowered();
    if (practising) {
      await this.hands({ do: 'seat', batchId });
      await this.hands({ do: 'powerAll', on: true });
    }
    this.store.dispatch(ProgressActions.poweredNoted({ deviceIds: ready.map(({ device }) => device.id) }));
  }
}
