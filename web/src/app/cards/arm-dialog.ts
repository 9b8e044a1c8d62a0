import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { armingPhrase } from '@nest-mark/core';
import { AutoFocus } from 'primeng/autofocus';
import { Button } from 'primeng/button';
import { Dialog } from 'primeng/dialog';
import { InputText } from 'primeng/inputtext';
import { progressFeature } from '../state/progress.reducer';
import { CardsActions, cardsFeature } from './cards.reducer';
import { isOverruled, OverruleField } from './overrule-field';
import { readOut, selectSlots, selectToArm, unfinishedOf } from './slots';

interface Line {
  slotId: string;
  slotTitle: string;
  erased: string;
  becomes: string;
  /** What has to be typed because the medium does not look like a card; null where nothing has to. */
  overrule: string | null;
}

/** Reads out what will be erased and takes the typed confirmation. */
@Component({
  selector: 'nm-arm-dialog',
  imports: [AutoFocus, Button, Dialog, FormsModule, InputText, OverruleField],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './arm-dialog.html',
  styles: `
    ol {
      margin: 0.75rem 0;
      padding: 0;
      list-style: none;
      display: flex;
      flex-direction: column;
      gap: 0.5rem;
    }
    li {
      border-left: 6px solid var(--clay);
      padding: 0.25rem 0.75rem;
      background: var(--clay-wash);
    }
    input {
      font-size: 1.25rem;
      min-height: 48px;
    }
    .buttons {
      margin-top: 1rem;
    }
  `,
})
export class ArmDialog {
  private readonly store = inject(Store);
  private readonly arming = this.store.selectSignal(cardsFeature.selectArming);
  private readonly slots = this.store.selectSignal(selectSlots);
  private readonly toArm = this.store.selectSignal(selectToArm);
  private readonly progress = this.store.selectSignal(progressFeature.selectProgress);
  protected readonly sending = this.store.selectSignal(cardsFeature.selectSending);
  protected readonly problem = this.store.selectSignal(cardsFeature.selectProblem);
  protected readonly typed = signal('');
  /** Sentences that were typed, by slot. */
  protected readonly overruled = signal<Record<string, string>>({});

  /** The round that is written again, or null for a new one. */
  private readonly again = computed(() => {
    const arming = this.arming();
    return arming === null || arming === 'new' ? null : arming;
  });
  private readonly proposal = this.store.selectSignal(cardsFeature.selectProposal);

  protected readonly lines = computed((): Line[] => {
    const again = this.again();
    if (again === null)
      return this.toArm().map((slot) => ({
        slotId: slot.proposed.slotId,
        slotTitle: slot.proposed.slotTitle,
        erased: readOut(slot),
        becomes: `${slot.device?.hostName ?? ''} (mark ${slot.device?.mark ?? ''}, nest ${slot.device?.nest ?? ''})`,
        overrule: slot.proposed.overruledBy,
      }));
    return unfinishedOf(this.progress()?.rounds ?? [], again.roundId, again.only).map((card): Line => {
      const slot = this.slots().find(({ proposed }) => proposed.slotId === card.slotId);
      return {
        slotId: card.slotId,
        slotTitle: slot?.proposed.slotTitle ?? card.slotId,
        erased: slot ? readOut(slot) : 'its card',
        becomes: slot?.endedFor?.hostName ?? 'the same device as before',
        overrule: slot?.proposed.overruledBy ?? null,
      };
    });
  });
  protected readonly phrase = computed(() => armingPhrase(this.lines().length));
  protected readonly fits = computed(
    () =>
      this.typed().trim().toLowerCase() === this.phrase() &&
      this.lines().every(({ slotId, overrule }) => isOverruled(overrule, this.overruled()[slotId])),
  );

  protected overrule(slotId: string, typed: string): void {
    this.overruled.update((all) => ({ ...all, [slotId]: typed }));
  }

  /** What was typed about the medium of a slot, as the request takes it. */
  private said(slotId: string): { overrule?: string } {
    const typed = this.overruled()[slotId];
    return typed === undefined ? {} : { overrule: typed };
  }

  protected leave(): void {
    this.store.dispatch(CardsActions.armingLeft());
  }

  protected confirm(): void {
    if (!this.fits() || this.sending()) return;
    const again = this.again();
    const confirm = this.typed().trim();
    // What the lines above were read from.
    const lookedAt = this.proposal()?.at ?? 0;
    if (again !== null) {
      const media = this.slots().flatMap(({ proposed: { slotId, medium } }) =>
        medium && this.lines().some((line) => line.slotId === slotId)
          ? [{ slotId, identity: medium.identity, ...this.said(slotId) }]
          : [],
      );
      const request = { confirm, lookedAt, media, ...(again.only === undefined ? {} : { only: again.only }) };
      this.store.dispatch(CardsActions.resumeConfirmed({ roundId: again.roundId, request }));
      return;
    }
    const cards = this.toArm().flatMap(({ proposed: { slotId, medium }, device }) =>
      medium && device
        ? [{ slotId, deviceId: device.id, identity: medium.identity, ...this.said(slotId) }]
        : [],
    );
    this.store.dispatch(CardsActions.roundConfirmed({ request: { cards, confirm, lookedAt } }));
  }
}
