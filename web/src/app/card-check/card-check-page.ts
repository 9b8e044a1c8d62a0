import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  Injector,
  signal,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import {
  bothSizes,
  decimalSize,
  packBootFiles,
  savedFile,
  unpackBootFiles,
  type BootFiles,
  type CheckFix,
  type Proposal,
  type SlotCheck,
} from '@nest-mark/core';
import { asProblem } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { batchFeature } from '../state/batch.reducer';
import { NoticeActions } from '../state/notice';
import { downloadOctets } from '../ui/files';
import type { CheckAnswer } from '../workers/check.messages';
import { Adopter } from './adopter';
import { Checker } from './checker';
import { planSentences, shownCheck, type ShownCheck, type ShownFinding } from './result';

type SlotCard = Proposal['cards'][number];

/** What is wrong with this one? A card in a slot, an image, or files, from anywhere. */
@Component({
  selector: 'nm-card-check-page',
  imports: [Button, FormsModule, InputText, RouterLink, Select],
  providers: [Adopter, Checker],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './card-check-page.html',
  styleUrl: './card-check-page.css',
})
export class CardCheckPage {
  private readonly api = inject(CardsApi);
  private readonly checker = inject(Checker);
  private readonly adopter = inject(Adopter);
  private readonly store = inject(Store);
  private readonly injector = inject(Injector);
  private readonly title = viewChild<ElementRef<HTMLElement>>('title');
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  protected readonly batchName = computed(() => this.plan()?.name ?? null);
  protected readonly over = signal(false);
  protected readonly busy = signal(false);
  protected readonly problem = signal('');
  protected readonly result = signal<ShownCheck | null>(null);
  protected readonly slots = signal<{ id: string; label: string; card: SlotCard }[]>([]);
  protected readonly slotId = signal<string | null>(null);
  protected readonly severities = { stops: 'Stops', warns: 'Warns', note: 'Note' };
  protected readonly path = signal('');
  /** What the person is told after settings were taken into the plan; null before. */
  protected readonly taken = signal<string[] | null>(null);
  /** Whether what is shown was read here and was written for a plan. */
  protected readonly comparable = signal(false);
  /** Whether what is shown is a card in a slot whose settings its board takes in once more. */
  protected readonly rewritable = signal(false);
  /** The slot whose card is shown; a finding can be mended there. */
  private shownSlot: SlotCard | null = null;
  /** What was read in the browser, as mended so far; null where the server looked. */
  private readHere: BootFiles | null = null;
  private readonly mendedHere = new Set<string>();
  /** How the files of what is shown are had, secrets and all. */
  private filesOfShown: () => Promise<BootFiles> = () => Promise.reject(new Error('nothing is shown'));

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
    this.mendedHere.clear();
    this.showRead(
      files.length === 1 ? first.name : `${String(files.length)} files`,
      answer,
      `Read ${decimalSize(answer.octetsRead)} of it in ${answer.milliseconds.toFixed(0)} ms, on this machine; nothing was sent.`,
    );
  }

  protected checkSlot(): void {
    const slot = this.slots().find(({ id }) => id === this.slotId());
    const { medium } = slot?.card ?? { medium: null };
    if (!slot || !medium) return;
    const { identity } = medium;
    const files = this.api.slotFiles(slot.id, identity);
    void this.ask(
      `the card in ${slot.card.slotTitle}`,
      slot.card,
      this.api.checkSlot(slot.id, identity),
      files,
    );
  }

  protected checkPath(): void {
    const path = this.path().trim();
    if (path !== '')
      void this.ask(path.split('/').at(-1) ?? path, null, this.api.checkPath(path), this.api.pathFiles(path));
  }

  /** Asks the server, which knows the plans; what is sent stays on this machine. */
  protected async compare(): Promise<void> {
    const shown = this.result();
    if (!shown) return;
    try {
      const comparison = await firstValueFrom(this.api.compareCard(packBootFiles(await this.filesOfShown())));
      this.comparable.set(false);
      const sentences = planSentences(comparison);
      this.result.set({
        ...shown,
        sentences: [
          ...shown.sentences,
          ...(sentences.length > 0 ? sentences : ['Its batch is not known here, so it cannot be compared.']),
        ],
      });
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    }
  }

  /** Takes what is shown into the open plan: networks onto the shelf, the device with its settings into the tray. */
  protected async takeOver(): Promise<void> {
    try {
      this.taken.set(await this.adopter.take(await this.filesOfShown()));
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    }
  }

  /** Mends a finding on the card itself, or in what was read here, and hands the mended file over. */
  protected mend(finding: ShownFinding): void {
    const { fix } = finding;
    if (fix) void this.mendHere(fix);
    const medium = this.shownSlot?.medium;
    if (finding.mendable && this.shownSlot && medium)
      void this.ask(
        `the card in ${this.shownSlot.slotTitle}`,
        this.shownSlot,
        this.api.mendSlot(this.shownSlot.slotId, medium.identity, finding),
        this.api.slotFiles(this.shownSlot.slotId, medium.identity),
      );
  }

  /** Writes the settings of the card's own device anew, as its plan has them; what the board has stored stays. */
  protected async rewrite(): Promise<void> {
    const card = this.shownSlot;
    const medium = card?.medium;
    if (!card || !medium) return;
    await this.ask(
      `the card in ${card.slotTitle}`,
      card,
      this.api.rewriteSettings(card.slotId, medium.identity),
      this.api.slotFiles(card.slotId, medium.identity),
    );
    if (this.problem() === '')
      this.store.dispatch(
        NoticeActions.done({ text: `The settings on the card in ${card.slotTitle} were written anew.` }),
      );
  }

  /** The name under which a fix is saved; null where its octets were not read. */
  protected savesAs(fix: CheckFix): string | null {
    return this.readHere ? (savedFile(this.readHere, fix)?.name ?? null) : null;
  }

  /** The next fix of the same file goes on from here, so that the last one that is saved has them all. */
  private async mendHere(fix: CheckFix): Promise<void> {
    const shown = this.result();
    const saved = this.readHere && savedFile(this.readHere, fix);
    if (!shown || !this.readHere || !saved) return;
    downloadOctets(saved.name.split('/').at(-1) ?? saved.name, saved.content);
    this.mendedHere.add(saved.name);
    const answer = await this.checker.askMended(this.readHere, fix);
    if (!answer.ok) {
      this.problem.set(answer.message);
      return;
    }
    const names = [...this.mendedHere].join(', ');
    this.showRead(
      shown.subject,
      answer,
      `As it is with the mended ${names}, which you saved; put ${this.mendedHere.size === 1 ? 'it' : 'them'} onto the card.`,
    );
  }

  private showRead(subject: string, { boot, check }: Extract<CheckAnswer, { ok: true }>, more: string): void {
    this.shownSlot = null;
    this.readHere = boot;
    this.filesOfShown = () => Promise.resolve(boot);
    this.comparable.set(check.mark !== null);
    this.show(shownCheck(subject, check, more));
  }

  private async ask(
    subject: string,
    card: SlotCard | null,
    request: ReturnType<CardsApi['checkSlot']>,
    files: ReturnType<CardsApi['slotFiles']>,
  ): Promise<void> {
    this.begin();
    try {
      const check: SlotCheck = await firstValueFrom(request);
      this.shownSlot = card;
      this.rewritable.set(card !== null && check.again);
      this.readHere = null;
      this.filesOfShown = async () => unpackBootFiles(await firstValueFrom(files));
      this.show(shownCheck(subject, check, `Looked at ${check.looked.join(', ') || 'no file'}.`));
    } catch (error) {
      this.problem.set(asProblem(error).detail);
    } finally {
      this.busy.set(false);
    }
  }

  /** What was found is brought to the eyes, below all the ways of asking. */
  private show(result: ShownCheck): void {
    this.result.set(result);
    afterNextRender(
      () => {
        const title = this.title()?.nativeElement;
        title?.closest('section')?.scrollIntoView({ block: 'start' });
        title?.focus({ preventScroll: true });
      },
      { injector: this.injector },
    );
  }

  private begin(): void {
    this.problem.set('');
    this.taken.set(null);
    this.comparable.set(false);
    this.rewritable.set(false);
    this.busy.set(true);
  }
}
