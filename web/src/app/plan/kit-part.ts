import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { binarySize, cardClasses, fileSlug, kitCsv, kitList, type KitPlan } from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { boardsFeature } from '../state/boards.reducer';
import { Field } from '../ui/field';
import { download } from '../ui/files';
import { bounded } from './numeric';
import { PlanEditor } from './plan-editor';

const classes = (Object.keys(cardClasses) as (keyof typeof cardClasses)[]).map((id) => ({
  id,
  label: cardClasses[id],
}));

/** What has to lie ready, what of it is there, and what the rest costs. */
@Component({
  selector: 'nm-kit-part',
  imports: [Checkbox, Field, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './kit-part.html',
  styleUrls: ['./panel.css', './kit-part.css'],
})
export class KitPart {
  private readonly editor = inject(PlanEditor);
  private readonly boards = inject(Store).selectSignal(boardsFeature.selectList);
  protected readonly classes = classes;
  protected readonly kit = computed(() => this.editor.plan().kit);
  protected readonly name = computed(() => this.editor.plan().name);
  protected readonly list = computed(() => kitList(this.editor.plan(), this.boards()));
  protected readonly shownSize = computed(
    () => `Systems show it as about ${binarySize(this.kit().cardGB * 1e9)}.`,
  );

  protected money(value: number | null): string {
    return value === null ? '' : value.toFixed(2);
  }

  protected number(field: 'sparePercent' | 'cardGB' | 'serviceSets', value: unknown, most: number): void {
    const number = bounded(value, field === 'cardGB' ? 1 : 0, most);
    if (number !== null && (field === 'sparePercent' || Number.isInteger(number)))
      this.set({ [field]: number }, `kit.${field}`);
  }

  protected set(change: Partial<KitPlan>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, kit: { ...plan.kit, ...change } }), field);
  }

  protected price(id: string, value: unknown): void {
    this.entry('prices', id, value === null ? null : bounded(value, 0, 1e7), value);
  }

  protected stock(id: string, value: unknown): void {
    const number = bounded(value, 0, 1e6);
    if (number === null || Number.isInteger(number)) this.entry('stock', id, number, value);
  }

  protected save(): void {
    download(`${fileSlug(this.name())}-kit.csv`, kitCsv(this.list(), this.kit().currency), 'text/csv');
  }

  protected print(): void {
    window.print();
  }

  /** An emptied field forgets its number; anything else that is none changes nothing. */
  private entry(map: 'prices' | 'stock', id: string, number: number | null, typed: unknown): void {
    if (number === null && typed !== null) return;
    const entries = Object.entries({ ...this.kit()[map], [id]: number }).filter(
      ([, value]) => value !== null,
    );
    this.set({ [map]: Object.fromEntries(entries) }, `kit.${map}.${id}`);
  }
}
