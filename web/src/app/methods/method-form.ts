import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import {
  carriedTitles,
  OwnDescriptionSchema,
  ownCarries,
  ownFaults,
  type Carried,
  type OwnDescription,
  type OwnEntry,
  type OwnFile,
} from '@nest-mark/core';
import { Button } from 'primeng/button';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { withEntry, withFile, withMoreEntries, withMoreFiles, withoutEntry, withoutFile } from './drafts';
import { MethodFile } from './method-file';
import { MethodTrial } from './method-trial';

/** A description as it is edited; `version` 0 is one that is not kept yet. */
export interface OpenMethod {
  id: string;
  version: number;
  description: OwnDescription;
}

/** One description, changed or made anew, with what a board would get by it. */
@Component({
  selector: 'nm-method-form',
  imports: [Button, FormsModule, InputText, MethodFile, MethodTrial, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="method-form-title">
      <h2 id="method-form-title">{{ open().version === 0 ? 'A new method' : 'Change the method' }}</h2>
      <div class="field">
        <label for="m-title">Title</label>
        <input
          pInputText
          id="m-title"
          maxlength="80"
          autocomplete="off"
          [ngModel]="draft().title"
          (ngModelChange)="change({ title: $event })"
        />
      </div>
      <div class="field">
        <label for="m-notes">For which images it is, and where that is documented</label>
        <textarea
          pTextarea
          id="m-notes"
          rows="2"
          maxlength="4000"
          [ngModel]="draft().notes"
          (ngModelChange)="change({ notes: $event })"
        ></textarea>
      </div>
    </section>
    @for (file of draft().files; track $index; let at = $index) {
      <nm-method-file
        [file]="file"
        [at]="at"
        [faults]="faults()"
        [alone]="draft().files.length === 1"
        (changed)="changeFile(at, $event)"
        (entryChanged)="changeEntry(at, $event.entry, $event.change)"
        (entryWanted)="set(more(draft(), at))"
        (entryGone)="set(without(draft(), at, $event))"
        (gone)="set(withoutFile(draft(), at))"
      />
    }
    <div class="row">
      <button type="button" class="quiet" (click)="set(withMoreFiles(draft()))">Add a file</button>
    </div>
    <section class="sheet" aria-label="What of a plan it carries">
      <p class="small"><strong>It carries</strong> {{ carries().carried }}.</p>
      <p class="small soft"><strong>Left to the hands, if a plan has it:</strong> {{ carries().left }}.</p>
      @if (!carries().proof) {
        <p class="small clay">
          Without the host key a board can be found but not proved. Put &lt;&lt;hostKey&gt;&gt; where the
          image takes one, or &lt;&lt;hostKey.base64&gt;&gt; if that is one line.
        </p>
      }
    </section>
    <nm-method-trial [description]="draft()" [sound]="sound()" />
    @if (problem()) {
      <p class="notice hand" role="alert">{{ problem() }}</p>
    }
    <div class="row">
      <p-button
        type="button"
        label="Save the method"
        [disabled]="!sound()"
        (onClick)="saved.emit({ id: open().id, version: open().version, description: draft() })"
      />
      <button type="button" class="quiet" (click)="left.emit()">Leave it</button>
      <span class="small soft" role="status">{{ missing() }}</span>
    </div>
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      gap: 0.875rem;
    }
    section {
      display: flex;
      flex-direction: column;
      gap: 0.625rem;
    }
  `,
})
export class MethodForm {
  readonly open = input.required<OpenMethod>();
  readonly problem = input('');
  readonly saved = output<OpenMethod>();
  readonly left = output();
  protected readonly draft = linkedSignal(() => this.open().description);
  protected readonly faults = computed(() => ownFaults(this.draft()));
  protected readonly sound = computed(
    () => this.faults().length === 0 && OwnDescriptionSchema.safeParse(this.draft()).success,
  );
  protected readonly missing = computed(() => {
    const count = this.faults().length;
    if (count > 0)
      return `${String(count)} ${count === 1 ? 'thing makes' : 'things make'} no sense yet, see above.`;
    return this.draft().title.trim() === '' ? 'Give it a title.' : '';
  });
  protected readonly carries = computed(() => {
    // What makes no sense yet is in no text that could be read.
    const carried = this.faults().length > 0 ? new Set<Carried>() : ownCarries(this.draft());
    const words = (wanted: boolean): string =>
      (Object.keys(carriedTitles) as Carried[])
        .filter((name) => carried.has(name) === wanted)
        .map((name) => carriedTitles[name])
        .join(', ') || 'nothing yet';
    return { carried: words(true), left: words(false), proof: carried.has('hostKey') };
  });
  protected readonly more = withMoreEntries;
  protected readonly without = withoutEntry;
  protected readonly withoutFile = withoutFile;
  protected readonly withMoreFiles = withMoreFiles;

  protected set(description: OwnDescription): void {
    this.draft.set(description);
  }

  protected change(change: Partial<OwnDescription>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }

  protected changeFile(at: number, change: Partial<OwnFile>): void {
    this.draft.update((draft) => withFile(draft, at, change));
  }

  protected changeEntry(file: number, entry: number, change: Partial<OwnEntry>): void {
    this.draft.update((draft) => withEntry(draft, file, entry, change));
  }
}
