import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { addDevices, namesFromList, namesFromPattern, PatternError } from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { PlanEditor } from './plan-editor';

/** Random numbers without bias: values beyond the last whole multiple are drawn again. */
function random(below: number): number {
  const limit = Math.floor(2 ** 32 / below) * below;
  const box = new Uint32Array(1);
  do crypto.getRandomValues(box);
  while ((box[0] ?? 0) >= limit);
  return (box[0] ?? 0) % below;
}

interface Names {
  names: string[];
  problem: string;
  skipped: string[];
}

/** Adds devices by a name pattern or from a pasted list. */
@Component({
  selector: 'nm-add-devices',
  imports: [Button, FormsModule, InputText, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './add-devices.html',
  styleUrl: './add-devices.css',
})
export class AddDevices {
  private readonly editor = inject(PlanEditor);
  protected readonly way = signal<'pattern' | 'list'>('pattern');
  protected readonly pattern = signal('tank-{n:02}');
  protected readonly count = signal<number | null>(12);
  protected readonly first = signal<number | null>(1);
  protected readonly list = signal('');
  protected readonly role = signal('');

  protected readonly result = computed((): Names =>
    this.way() === 'pattern' ? this.fromPattern() : this.fromList(),
  );
  protected readonly preview = computed(() => {
    const { names } = this.result();
    return names.length <= 4 ? names.join(', ') : `${names.slice(0, 2).join(', ')} … ${names.at(-1) ?? ''}`;
  });

  private fromPattern(): Names {
    try {
      return {
        names: namesFromPattern(this.pattern(), this.count() ?? 0, this.first() ?? -1),
        problem: '',
        skipped: [],
      };
    } catch (error) {
      if (!(error instanceof PatternError)) throw error;
      return { names: [], problem: error.message, skipped: [] };
    }
  }

  private fromList(): Names {
    const { names, skipped } = namesFromList(this.list());
    return {
      names,
      problem: '',
      skipped: skipped.map(
        ({ line, text, reason }) =>
          `line ${String(line)} ${reason === 'blank' ? 'is blank' : `repeats “${text}”`}`,
      ),
    };
  }

  protected add(): void {
    const { names } = this.result();
    if (names.length === 0) return;
    const role = this.role().trim();
    this.editor.edit((plan) => addDevices(plan, names, role, { random, id: () => crypto.randomUUID() }));
    this.list.set('');
  }
}
