import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  Injector,
  signal,
  untracked,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  coloursOf,
  labelPlaces,
  labelSizeFaults,
  shippedLabelSizes,
  type Labelled,
  type LabelSize,
  type Page,
  type Plan,
} from '@nest-mark/core';
import type { LabelsWanted, Paper, Problem } from '@nest-mark/core/api';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { firstValueFrom } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { HandOverApi } from '../api/hand-over-api';
import { PlanEditor } from '../plan/plan-editor';
import { batchFeature } from '../state/batch.reducer';
import { selectSelectedDevices } from '../state/selectors';
import { downloadBlob } from '../ui/files';
import { DrawnPage } from './drawn-page';
import { labelMeasures, type MeasureField } from './label-measures';
import { HandOverActions, handOverFeature } from './hand-over.reducer';
import { printPages } from './print-pages';

/** Milliseconds after the last change before labels are drawn anew. */
const QUIET = 250;
/** Pages that are shown; all are printed. */
const SHOWN = 2;
const OWN = 'own';

/** Labels for boards, cards and supplies, on sheets and rolls. */
@Component({
  selector: 'nm-labels-part',
  imports: [Button, DrawnPage, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './labels-part.html',
  styleUrl: './labels-part.css',
})
export class LabelsPart {
  private readonly store = inject(Store);
  private readonly api = inject(HandOverApi);
  private readonly editor = inject(PlanEditor);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  private readonly batchId = this.store.selectSignal(batchFeature.selectId);
  private readonly stored = this.store.selectSignal(batchFeature.selectStored);
  private readonly selected = this.store.selectSignal(selectSelectedDevices);
  private readonly view = this.store.selectSignal(handOverFeature.selectView);

  protected readonly whats: readonly { id: Labelled; label: string }[] = [
    { id: 'board', label: 'boards' },
    { id: 'card', label: 'cards' },
    { id: 'supply', label: 'supplies' },
  ];
  protected readonly codes: readonly { id: LabelsWanted['code']; label: string }[] = [
    { id: 'mark', label: 'the mark alone' },
    { id: 'passport', label: 'the address of its passport here' },
    { id: 'none', label: 'there is none' },
  ];
  protected readonly colourings: readonly { id: Plan['handOver']['colours']; label: string }[] = [
    { id: 'none', label: 'nothing' },
    { id: 'role', label: 'each role' },
    { id: 'device', label: 'each device' },
  ];
  protected readonly measures = labelMeasures;

  protected readonly chosen = signal('0');
  protected readonly own = signal<LabelSize | null>(null);
  protected readonly firstFree = signal(1);
  protected readonly what = signal<readonly Labelled[]>(['board']);
  protected readonly code = signal<LabelsWanted['code']>('mark');
  protected readonly paper = signal<Paper | null>(null);
  protected readonly problem = signal<Problem | null>(null);
  protected readonly printing = signal(false);
  private asked = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  protected readonly choices = computed(() => [
    ...shippedLabelSizes.map(({ title }, at) => ({ id: String(at), label: title })),
    ...(this.view()?.labelSizes ?? []).map(({ id, size }) => ({ id, label: size.title })),
    { id: OWN, label: 'Another size …' },
  ]);
  protected readonly savedId = computed(
    () => this.view()?.labelSizes.find(({ id }) => id === this.chosen())?.id ?? null,
  );
  protected readonly size = computed((): LabelSize => {
    const own = this.own();
    if (own) return own;
    return shippedLabelSizes[Number(this.chosen())] ?? (shippedLabelSizes[0] as LabelSize);
  });
  protected readonly faults = computed(() => labelSizeFaults(this.size()));
  protected readonly onPage = computed(() => this.size().columns * this.size().rows);
  protected readonly isSheet = computed(() => this.onPage() > 1);
  protected readonly colours = computed(() => this.editor.plan().handOver.colours);
  protected readonly atPrompt = computed(() => this.editor.plan().handOver.atPrompt);
  protected readonly legend = computed(() => [
    ...new Map([...coloursOf(this.editor.plan()).values()].map((colour) => [colour.letter, colour])).values(),
  ]);
  private readonly wanted = computed((): LabelsWanted | null => {
    if (this.faults().length > 0 || this.what().length === 0) return null;
    const chosen = this.selected();
    return {
      size: this.size(),
      firstFree: Math.min(this.firstFree(), this.onPage()),
      what: [...this.what()],
      code: this.code(),
      origin: location.origin,
      deviceIds: chosen.length > 0 ? chosen.map(({ device }) => device.id) : null,
    };
  });
  private readonly count = computed(
    () => (this.selected().length || this.editor.plan().devices.length) * this.what().length,
  );
  protected readonly printable = computed(
    () => this.wanted() !== null && (this.paper()?.pages.length ?? 0) > 0,
  );
  protected readonly summary = computed(() => {
    const pages = this.paper()?.pages.length ?? 0;
    const of = this.selected().length > 0 ? ` of the ${String(this.selected().length)} selected` : '';
    const labels = `${String(this.count())} ${this.count() === 1 ? 'label' : 'labels'}${of}`;
    return this.isSheet() ? `${labels} on ${String(pages)} ${pages === 1 ? 'sheet' : 'sheets'}` : labels;
  });
  protected readonly pages = computed(() => (this.paper()?.pages ?? []).slice(0, this.isSheet() ? SHOWN : 4));
  protected readonly morePages = computed(() => (this.paper()?.pages.length ?? 0) - this.pages().length);
  protected readonly remarks = computed(() => this.paper()?.remarks ?? []);
  protected readonly places = computed(() => {
    if (!this.isSheet()) return [];
    const { label } = this.size();
    return labelPlaces(this.size(), this.onPage(), 1).map(({ x, y }, at) => ({
      x,
      y,
      ...label,
      used: at + 1 < this.firstFree(),
    }));
  });
  /** The first label, cut out of its page. */
  protected readonly trueSize = computed((): Page | null => {
    const page = this.paper()?.pages[0];
    const [place] = labelPlaces(this.size(), 1, Math.min(this.firstFree(), this.onPage()));
    if (!page || !place) return null;
    const { width, height } = this.size().label;
    const inside = page.drawn.filter(
      ({ x, y }) => x >= place.x - 0.1 && x <= place.x + width && y >= place.y - 0.1 && y <= place.y + height,
    );
    return {
      width,
      height,
      drawn: inside.map((one) => ({ ...one, x: one.x - place.x, y: one.y - place.y })),
    };
  });

  constructor() {
    effect(() => {
      this.wanted();
      // What is saved of the plan is what is printed.
      this.stored();
      untracked(() => {
        clearTimeout(this.timer);
        this.timer = setTimeout(() => void this.draw(), QUIET);
      });
    });
    inject(DestroyRef).onDestroy(() => clearTimeout(this.timer));
  }

  private async draw(): Promise<void> {
    const [id, wanted] = [this.batchId(), this.wanted()];
    const turn = ++this.asked;
    if (id === null || wanted === null) {
      this.paper.set(null);
      return;
    }
    try {
      const paper = await firstValueFrom(this.api.labels(id, wanted));
      // An answer that comes after the next question is not wanted any more.
      if (turn !== this.asked) return;
      this.paper.set(paper);
      this.problem.set(null);
    } catch (error) {
      if (turn === this.asked) this.problem.set(asProblem(error));
    }
  }

  protected choose(id: string): void {
    const before = this.size();
    this.chosen.set(id);
    const saved = this.view()?.labelSizes.find((one) => one.id === id);
    this.own.set(id === OWN ? { ...before, title: 'Our labels' } : (saved?.size ?? null));
    this.firstFree.set(1);
  }

  protected rename(title: string): void {
    this.own.update((size) => size && { ...size, title });
  }

  protected setMeasure(field: MeasureField, value: number | null): void {
    // A field that is being typed in is empty for a moment.
    if (value === null || !Number.isFinite(value) || value < 0) return;
    this.own.update((size) => size && field.with(size, value));
  }

  protected setFirst(value: number | null): void {
    if (value === null || !Number.isInteger(value) || value < 1 || value > this.onPage()) return;
    this.firstFree.set(value);
  }

  protected toggle(id: Labelled): void {
    this.what.update((what) => (what.includes(id) ? what.filter((one) => one !== id) : [...what, id]));
  }

  protected setColours(colours: Plan['handOver']['colours']): void {
    this.editor.edit((plan) => ({ ...plan, handOver: { ...plan.handOver, colours } }), 'handOver.colours');
  }

  protected setAtPrompt(atPrompt: boolean): void {
    this.editor.edit((plan) => ({ ...plan, handOver: { ...plan.handOver, atPrompt } }), 'handOver.atPrompt');
  }

  protected pick({ x, y }: { x: number; y: number }): void {
    const at = this.places().findIndex(
      (place) => x >= place.x && x <= place.x + place.width && y >= place.y && y <= place.y + place.height,
    );
    if (at >= 0) this.firstFree.set(at + 1);
  }

  protected async save(): Promise<void> {
    const size = this.own();
    if (!size) return;
    try {
      const saved = await firstValueFrom(this.api.saveLabelSize(size));
      this.chosen.set(saved.id);
      this.store.dispatch(HandOverActions.sizesChanged());
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }

  protected async remove(id: string): Promise<void> {
    try {
      await firstValueFrom(this.api.removeLabelSize(id), { defaultValue: undefined });
      this.choose('0');
      this.store.dispatch(HandOverActions.sizesChanged());
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }

  protected async savePdf(): Promise<void> {
    const [id, wanted] = [this.batchId(), this.wanted()];
    if (id === null || wanted === null) return;
    try {
      const { name, content } = await firstValueFrom(this.api.labelsFile(id, wanted));
      downloadBlob(name, content);
      this.problem.set(null);
    } catch (error) {
      this.problem.set(asProblem(error));
    }
  }

  protected print(): void {
    this.printing.set(true);
    afterNextRender(
      () => {
        const drawn = [...this.host.nativeElement.querySelectorAll<SVGElement>('.all-pages svg')];
        printPages(drawn, this.size().page);
        this.printing.set(false);
      },
      { injector: this.injector },
    );
  }
}
