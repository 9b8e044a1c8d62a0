import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  addDevices,
  addNewDevices,
  fillPattern,
  freeNests,
  parseRanges,
  PatternError,
  previewTable,
  type Device,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { boardsFeature } from '../state/boards.reducer';
import { FileError, textOfFile } from '../ui/files';
import { draw } from '../ui/random';
import { PlanEditor } from './plan-editor';

interface Names {
  names: string[];
  problem: string;
}

/** Lines of a preview that are listed; the rest is counted. */
const listed = 60;

/** Adds devices by a name pattern, or from a table that was pasted or lies in a file. */
@Component({
  selector: 'nm-add-devices',
  imports: [Button, FormsModule, InputText, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './add-devices.html',
  styleUrl: './add-devices.css',
})
export class AddDevices {
  private readonly editor = inject(PlanEditor);
  private readonly boards = inject(Store).selectSignal(boardsFeature.selectList);
  protected readonly way = signal<'pattern' | 'table'>('pattern');
  protected readonly pattern = signal('tank-{n:02}');
  protected readonly numbers = signal('1-12');
  protected readonly table = signal('');
  protected readonly role = signal('');
  protected readonly fileProblem = signal('');

  protected readonly result = computed((): Names => {
    try {
      const numbers = parseRanges(this.numbers());
      const nests = freeNests(this.editor.plan(), numbers.length);
      const { site } = this.editor.plan();
      const items = numbers.map((n, index) => ({ n, nest: nests[index] ?? '', role: this.role(), site }));
      return { names: fillPattern(this.pattern(), items), problem: '' };
    } catch (error) {
      if (!(error instanceof PatternError)) throw error;
      return { names: [], problem: error.message };
    }
  });
  protected readonly sample = computed(() => {
    const { names } = this.result();
    return names.length <= 4 ? names.join(', ') : `${names.slice(0, 2).join(', ')} … ${names.at(-1) ?? ''}`;
  });

  protected readonly preview = computed(() =>
    this.table().trim() === '' ? null : previewTable(this.table(), this.editor.plan(), this.boards()),
  );
  /** Lines with a problem first: those are what a person has to look at. */
  protected readonly shown = computed(() => {
    const lines = this.preview()?.lines ?? [];
    const wrong = lines.filter(({ problems }) => problems.length > 0);
    return [...wrong, ...lines.filter(({ problems }) => problems.length === 0)].slice(0, listed);
  });
  protected readonly skipped = computed(
    () => this.preview()?.lines.filter(({ action }) => action === 'skip').length ?? 0,
  );

  protected add(): void {
    const { names } = this.result();
    if (names.length === 0) return;
    this.editor.edit((plan) => addDevices(plan, names, this.role().trim(), draw));
  }

  protected takeTable(): void {
    const preview = this.preview();
    if (!preview) return;
    const changes = new Map(preview.changes.map(({ id, change }) => [id, change]));
    this.editor.edit((plan) => {
      const devices = plan.devices.map((device): Device => ({ ...device, ...changes.get(device.id) }));
      return addNewDevices({ ...plan, devices }, preview.additions, draw);
    });
    this.table.set('');
  }

  protected async choose(event: Event): Promise<void> {
    const input = event.target as HTMLInputElement;
    const [file] = input.files ?? [];
    this.fileProblem.set('');
    if (file)
      try {
        this.table.set(await textOfFile(file));
      } catch (error) {
        if (!(error instanceof FileError)) throw error;
        this.fileProblem.set(error.message);
      }
    input.value = '';
  }
}
