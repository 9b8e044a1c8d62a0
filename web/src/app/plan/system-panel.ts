import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { timeZones } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { Field } from '../ui/field';
import { ExtrasPanel } from './extras-panel';
import { PlanEditor } from './plan-editor';

/** How the boards' system shall be set: clock, language, and what else goes onto the cards. */
@Component({
  selector: 'nm-system-panel',
  imports: [ExtrasPanel, Field, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="system-panel">
      <h2 id="system-panel">Clock and language</h2>
      <div class="pair">
        <nm-field place="timeZone" label="Time zone">
          <p-select
            inputId="f-timeZone"
            ariaLabelledBy="f-timeZone-label"
            [options]="zones"
            placeholder="Area/City"
            [filter]="true"
            [virtualScroll]="true"
            [virtualScrollItemSize]="40"
            [ngModel]="plan().timeZone || null"
            (ngModelChange)="editor.set({ timeZone: $event }, 'timeZone')"
          />
        </nm-field>
        <nm-field place="locale" label="Locale" hint="As en_GB.UTF-8; C.UTF-8 where nobody reads.">
          <input
            pInputText
            class="mono"
            id="f-locale"
            maxlength="64"
            autocomplete="off"
            [ngModel]="plan().locale"
            (ngModelChange)="editor.set({ locale: $event }, 'locale')"
          />
        </nm-field>
      </div>
    </section>
    <nm-extras-panel />
  `,
  styleUrl: './panel.css',
  styles: `
    nm-extras-panel {
      margin-top: 1rem;
    }
  `,
})
export class SystemPanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  protected readonly zones = timeZones();
}
