import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { Button } from 'primeng/button';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import { bothSizes, decimalSize, type Proposal, type SlotCheck } from '@nest-mark/core';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { batchFeature } from '../state/batch.reducer';
import { downloadOctets } from '../ui/files';
import { Checker } from './checker';
import { shownCheck, type ShownCheck, type ShownFinding } from './result';

type SlotCard = Proposal['cards'][number];

/** What is wrong with this one? A card in a slot, an image, or files, from anywhere. */
@Component({
  selector: 'nm-card-check-page',
  imports: [Button, FormsModule, Select],
  providers: [Checker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './card-check-page.html',
  styleUrl: './card-check-page.css',
})
export class CardCheckPage {
  private readonly api = inject(CardsApi);
  private readonly checker = inject(Checker);
  private readonly batchId = inject(Store).selectSignal(batchFeature.selectId);
  protected readonly over = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal('');
  protected readonly result = signal<ShownCheck | null>(null);
  protected readonly slots = signal<{ id: string; label: string; card: SlotCard }[]>([]);
  protected readonly slotId = signal<string | null>(null);
  protected readonly severities = { stops: 'Stops', warns: 'Warns', note: 'Note' };
  /** The slot whose card is shown; a finding can be mended there. */
  private shownSlot: SlotCard | null = null;

  constructor() {
    void this.lookForSlots();
  }

  protected async lookForSlots(): Promise<void> {
    const batchId = this.batchId();
    if (batchId === null) return;
    const { cards } = await firstValueFrom(this.api.slots(batchId)).catch(() => ({
      cards: [] as SlotCard[],
    }));
    this.slots.set(
      cards.flatMap((card) =>
        card.medium
          ? [
              {
                id: card.slotId,
                label: `${card.slotTitle}, ${bothSizes(card.medium.identity.size)}, ${card.medium.holds}`,
                card,
              },
            ]
          : [],
      ),
    );
  }

  protected drop(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    void this.check([...(event.dataTransfer?.files ?? [])]);
  }

  protected choose(input: HTMLInputElement): void {
    const files = [...(input.files ?? [])];
    input.value = '';
    void this.check(files);
  }

  private async check(files: File[]): Promise<void> {
    const [first] = files;
    if (!first) return;
    this.begin();
    const answer = await this.checker.ask(files);
    this.busy.set(false);
    if (!answer.ok) {
      this.problem.set(answer.message);
      return;
    }
    this.shownSlot = null;
    const subject = files.length === 1 ? first.name : `${String(files.length)} files`;
    this.result.set(
      shownCheck(
        subject,
        answer.check,
        `Read ${decimalSize(answer.octetsRead)} of it in ${answer.milliseconds.toFixed(0)} ms, on this machine; nothing was sent.`,
      ),
    );
  }

  protected checkSlot(): void {
    const slot = this.slots().find(({ id }) => id === this.slotId());
    const { medium } = slot?.card ?? { medium: null };
    if (slot && medium) void this.ask(slot.card, this.api.checkSlot(slot.id, medium.identity));
  }

  /** Mends a finding on the card itself, or hands the mended file over. */
  protected mend(finding: ShownFinding): void {
    const { fix } = finding;
    if (fix?.do === 'replace') downloadOctets(fix.file, fix.content);
    const medium = this.shownSlot?.medium;
    if (finding.mendable && this.shownSlot && medium)
      void this.ask(this.shownSlot, this.api.mendSlot(this.shownSlot.slotId, medium.identity, finding));
  }

  private async ask(card: SlotCard, request: ReturnType<CardsApi['checkSlot']>): Promise<void> {
    this.begin();
    try {
      const check: SlotCheck = await firstValueFrom(request);
      this.shownSlot = card;
      this.result.set(
        shownCheck(
          `the card in ${card.slotTitle}`,
          check,
          `Looked at ${check.looked.join(', ') || 'no file'}.`,
        ),
      );
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    } finally {
      this.busy.set(false);
    }
  }

  private begin(): void {
    this.problem.set('');
    this.busy.set(true);
  }
}
