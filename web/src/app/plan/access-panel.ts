import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { fingerprint, keyLines, type Plan } from '@nest-mark/core';
import { Checkbox } from 'primeng/checkbox';
import { InputText } from 'primeng/inputtext';
import { Textarea } from 'primeng/textarea';
import { Field } from '../ui/field';
import { PlanEditor } from './plan-editor';
import { SecretInput } from './secret-input';

@Component({
  selector: 'nm-access-panel',
  imports: [Checkbox, Field, FormsModule, InputText, SecretInput, Textarea],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="access-panel">
      <h2 id="access-panel">Who can log in</h2>
      <nm-field place="access.userName" label="User">
        <input
          pInputText
          class="mono"
          id="f-access.userName"
          maxlength="64"
          autocomplete="off"
          spellcheck="false"
          [ngModel]="plan().access.userName"
          (ngModelChange)="access({ userName: $event }, 'access.userName')"
        />
      </nm-field>
      <nm-field
        place="access.keys"
        label="SSH public keys, one a line"
        hint="From files whose names end in .pub. Never a private key."
      >
        <textarea
          pTextarea
          class="mono"
          id="f-access.keys"
          rows="4"
          spellcheck="false"
          wrap="off"
          [ngModel]="plan().access.keys"
          (ngModelChange)="access({ keys: $event }, 'access.keys')"
        ></textarea>
      </nm-field>
      @for (key of keys(); track key.line) {
        <p class="small mono cut" [title]="key.print">
          {{ key.type }} {{ key.bits }} · {{ key.comment || 'no comment' }} · {{ key.print }}
        </p>
      }
      <div class="check">
        <p-checkbox
          inputId="f-access.passwordLogin"
          [binary]="true"
          [ngModel]="plan().access.passwordLogin"
          (ngModelChange)="access({ passwordLogin: $event }, 'access.passwordLogin')"
        />
        <label for="f-access.passwordLogin">Allow login by password as well</label>
      </div>
      @if (plan().access.passwordLogin) {
        <nm-field
          place="access.password"
          label="Password, the same on all boards"
          hint="A hash goes onto the cards, not the password."
        >
          <nm-secret-input kind="userPassword" inputId="f-access.password" />
        </nm-field>
      }
    </section>
  `,
  styleUrl: './panel.css',
})
export class AccessPanel {
  private readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  protected readonly keys = computed(() =>
    keyLines(this.plan()).flatMap(({ line, key }) =>
      typeof key === 'string'
        ? []
        : [{ line, type: key.type, bits: key.bits, comment: key.comment, print: fingerprint(key.blob) }],
    ),
  );

  protected access(change: Partial<Plan['access']>, field: string): void {
    this.editor.edit((plan) => ({ ...plan, access: { ...plan.access, ...change } }), field);
  }
}
