import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { bothSizes, type PracticeAction, type PracticeView } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { sameChoices, type Choice } from '../ui/choices';
import { faultKinds, faultOf } from './card-faults';
import { Drills } from './drills';
import { PracticeHands } from './practice-hands';
import { SystemFaultChoice } from './system-fault-choice';

type Phase = PracticeView['boards'][number]['phase'];
const phaseWords: Record<Phase, string> = {
  off: 'off',
  starting: 'starting',
  offline: 'on, not on the network',
  online: 'on the network',
};

/** What hands would do: cards in and out, power, the air. Everything here is a stand-in on this machine. */
@Component({
  selector: 'nm-practice-page',
  imports: [Button, Checkbox, Drills, FormsModule, InputText, Select, SystemFaultChoice],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './practice-page.html',
  styleUrl: './practice-page.css',
})
export class PracticePage {
  protected readonly hands = inject(PracticeHands);
  protected readonly view = this.hands.view;
  protected readonly problem = this.hands.problem;

  protected readonly slots = computed(() => {
    const view = this.view();
    return (view?.slots ?? []).map((slot) => ({
      ...slot,
      card: view?.cards.find(({ id }) => id === slot.cardId) ?? null,
    }));
  });
  protected readonly drawer = computed(
    (): Choice[] =>
      (this.view()?.cards ?? [])
        .filter(({ place }) => place === null)
        .map(({ id, title, size, label }) => ({
          id,
          label: `${title}, ${bothSizes(size)}${label ? ` · ${label}` : ''}`,
        })),
    { equal: sameChoices },
  );
  protected readonly everyCard = computed(
    (): Choice[] => (this.view()?.cards ?? []).map(({ id, title }) => ({ id, label: title })),
    { equal: sameChoices },
  );
  protected readonly boards = computed(() => {
    const view = this.view();
    return (view?.boards ?? []).map((board) => ({
      ...board,
      card: view?.cards.find(({ id }) => id === board.cardId) ?? null,
      word: phaseWords[board.phase],
    }));
  });
  /** Every card with its faults, for the table. */
  protected readonly cards = computed(() =>
    (this.view()?.cards ?? []).map((card) => ({
      ...card,
      text: bothSizes(card.size),
      fault: faultOf(card.faults),
    })),
  );
  protected readonly faultKinds = faultKinds;
  protected readonly nestTyped = signal('A1');
  protected readonly cardPicked = signal<string | null>(null);

  constructor() {
    this.hands.enter();
  }

  protected act(action: PracticeAction): void {
    this.hands.act(action);
  }

  protected pick(slotId: string, cardId: string): void {
    this.act({ do: 'insert', cardId, slotId });
  }

  protected setPace(change: Partial<{ bootSeconds: number; slotRate: number }>): void {
    const view = this.view();
    if (!view) return;
    this.act({ do: 'pace', bootSeconds: view.bootSeconds, slotRate: view.slotRate, ...change });
  }

  protected seatPicked(): void {
    const cardId = this.cardPicked();
    if (cardId !== null) this.act({ do: 'seatCard', cardId, nest: this.nestTyped().trim().toUpperCase() });
  }
}
