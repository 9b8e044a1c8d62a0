import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  eachTitles,
  ownFormTitles,
  ownWordTitles,
  quotingTitles,
  separators,
  valueNames,
  valueTitle,
  usesWords,
  whensFor,
  whenTitles,
  type Each,
  type OwnEntry,
  type OwnFault,
  type OwnFile,
  type OwnWords,
  type Separator,
} from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Textarea } from 'primeng/textarea';

const options = (titles: Record<string, string>): { id: string; label: string }[] =>
  Object.entries(titles).map(([id, label]) => ({ id, label }));

const separatorTitles: Record<Separator, string> = {
  '=': 'key=value',
  ' = ': 'key = value',
  ': ': 'key: value',
  ' ': 'key value',
};
const words = (Object.keys(ownWordTitles) as (keyof OwnWords)[]).map((id) => ({
  id,
  label: ownWordTitles[id],
}));

const whensOf = (each: Each): { id: string; label: string }[] =>
  whensFor(each).map((id) => ({ id, label: whenTitles[id] }));

/** One file of a description. */
@Component({
  selector: 'nm-method-file',
  imports: [FormsModule, InputText, Select, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './method-file.html',
  styleUrl: './method-file.css',
})
export class MethodFile {
  readonly file = input.required<OwnFile>();
  /** Its place among the files, from 0. */
  readonly at = input.required<number>();
  readonly faults = input<readonly OwnFault[]>([]);
  readonly alone = input(false);
  readonly changed = output<Partial<OwnFile>>();
  readonly entryChanged = output<{ entry: number; change: Partial<OwnEntry> }>();
  readonly entryWanted = output();
  readonly entryGone = output<number>();
  readonly gone = output();
  protected readonly forms = options(ownFormTitles);
  protected readonly quotings = options(quotingTitles);
  protected readonly separators = separators.map((id) => ({ id, label: separatorTitles[id] }));
  protected readonly eaches = options(eachTitles);
  protected readonly words = words;
  protected readonly values = valueNames.map((id) => ({ id, label: valueTitle(id) }));
  /** The text field that a value is put into: the one that was in use last. */
  private last: { entry: number; field: 'key' | 'section' | 'value'; element: HTMLInputElement } | null =
    null;

  protected readonly own = computed(() =>
    this.faults().filter(({ file, entry }) => file === this.at() && entry === null),
  );
  protected readonly usesWords = computed(() => usesWords(this.file()));
  protected readonly rows = computed(() =>
    this.file().entries.map((entry, at) => ({
      ...entry,
      at,
      whens: whensOf(entry.each),
      faults: this.faults().filter((fault) => fault.file === this.at() && fault.entry === at),
    })),
  );

  protected say(id: keyof OwnWords, word: string): void {
    this.changed.emit({ words: { ...this.file().words, [id]: word } });
  }

  protected edit(entry: number, change: Partial<OwnEntry>): void {
    this.entryChanged.emit({ entry, change });
  }

  protected repeat(entry: number, each: Each): void {
    const fits = whensFor(each).includes(this.file().entries[entry]?.when ?? 'always');
    this.edit(entry, { each, ...(fits ? {} : { when: 'always' }) });
  }

  protected using(entry: number, field: 'key' | 'section' | 'value', event: FocusEvent): void {
    this.last = { entry, field, element: event.target as HTMLInputElement };
  }

  /** Puts a value where the cursor was, or at the end of the last entry. */
  protected putIn(name: string | null): void {
    if (name === null) return;
    const entry = Math.min(this.last?.entry ?? Infinity, this.file().entries.length - 1);
    const field = this.last?.field ?? 'value';
    const text = this.file().entries[entry]?.[field] ?? '';
    const at = this.last?.element.isConnected
      ? (this.last.element.selectionStart ?? text.length)
      : text.length;
    this.edit(entry, { [field]: `${text.slice(0, at)}<<${name}>>${text.slice(at)}` });
  }
}
