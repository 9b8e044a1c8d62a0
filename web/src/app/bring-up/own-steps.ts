import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ownStepsText, readOwnSteps, type OwnStep } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { download, FileError, textOfFile } from '../ui/files';

/** Most steps of one's own. */
const MOST = 20;

/** Steps that a person describes: a question that says whether it is done, and what does it. */
@Component({
  selector: 'nm-own-steps',
  imports: [FormsModule, InputText, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './own-steps.html',
  styleUrl: './own-steps.css',
})
export class OwnSteps {
  readonly own = input.required<readonly OwnStep[]>();
  readonly changed = output<OwnStep[]>();
  protected readonly problem = signal('');
  protected readonly most = MOST;

  protected add(): void {
    this.changed.emit([
      ...this.own(),
      {
        id: crypto.randomUUID(),
        title: 'My step',
        why: '',
        question: '',
        does: '',
        root: true,
        role: '',
        seconds: 120,
      },
    ]);
  }

  protected remove(id: string): void {
    this.changed.emit(this.own().filter((step) => step.id !== id));
  }

  protected change(id: string, change: Partial<OwnStep>): void {
    // A title that is being typed may be empty for a moment; the plan keeps the last one.
    if (change.title?.trim() === '') return;
    this.changed.emit(this.own().map((step) => (step.id === id ? { ...step, ...change } : step)));
  }

  protected save(): void {
    download('steps.nest-mark.json', ownStepsText(this.own()), 'application/json');
  }

  protected async take(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const [file] = field.files ?? [];
    this.problem.set('');
    try {
      if (!file) return;
      const steps = readOwnSteps(await textOfFile(file), () => crypto.randomUUID());
      if (!steps) this.problem.set(`"${file.name}" holds no steps that were saved here.`);
      else if (this.own().length + steps.length > MOST)
        this.problem.set(`There would be more than ${String(MOST)} own steps. Remove some first.`);
      else this.changed.emit([...this.own(), ...steps]);
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      this.problem.set(error.message);
    } finally {
      field.value = '';
    }
  }
}
