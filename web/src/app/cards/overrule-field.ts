import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { isSentence } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';

/** Whether what was typed about a medium is what is asked for; true where nothing is asked. */
export const isOverruled = (asked: string | null, typed: string | undefined): boolean =>
  asked === null || isSentence(typed ?? '', asked);

/** Takes the sentence by which a person has a medium erased that does not look like a card. */
@Component({
  selector: 'nm-overrule-field',
  imports: [FormsModule, InputText],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="field">
      <label [for]="id()"
        >If nothing on it is wanted, type <span class="mono">{{ sentence() }}</span></label
      >
      <input
        pInputText
        class="mono"
        [id]="id()"
        [name]="id()"
        autocomplete="off"
        spellcheck="false"
        maxlength="400"
        [ngModel]="typed()"
        (ngModelChange)="typed.set($event)"
        [attr.aria-invalid]="!said()"
      />
    </div>
  `,
  styles: `
    input {
      min-height: 48px;
    }
  `,
})
export class OverruleField {
  readonly slotId = input.required<string>();
  readonly sentence = input.required<string>();
  readonly typed = model('');
  protected readonly id = computed(() => `overrule-${this.slotId()}`);
  protected readonly said = computed(() => isOverruled(this.sentence(), this.typed()));
}
