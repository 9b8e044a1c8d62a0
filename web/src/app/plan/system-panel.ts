import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { boardProfiles, bothSizes, clock } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { imagesFeature } from '../state/images.reducer';
import { Field } from '../ui/field';
import { PlanEditor } from './plan-editor';

@Component({
  selector: 'nm-system-panel',
  imports: [Field, FormsModule, InputText, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="system-panel">
      <h2 id="system-panel">Image and board</h2>
      <nm-field place="imageId" label="Image" [hint]="imageHint()">
        <p-select
          inputId="f-imageId"
          ariaLabelledBy="f-imageId-label"
          [options]="images()"
          optionLabel="label"
          optionValue="id"
          placeholder="Choose from the shelf"
          [ngModel]="plan().imageId"
          (ngModelChange)="editor.set({ imageId: $event }, 'imageId')"
        />
      </nm-field>
      <nm-field place="boardProfileId" label="Board" [hint]="boardHint()">
        <p-select
          inputId="f-boardProfileId"
          ariaLabelledBy="f-boardProfileId-label"
          [options]="boards"
          optionLabel="title"
          optionValue="id"
          [ngModel]="plan().boardProfileId"
          (ngModelChange)="editor.set({ boardProfileId: $event }, 'boardProfileId')"
        />
      </nm-field>
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
    </section>
  `,
  styleUrl: './panel.css',
})
export class SystemPanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  private readonly shelf = inject(Store).selectSignal(imagesFeature.selectList);
  protected readonly boards = [...boardProfiles];
  protected readonly zones = ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')];
  protected readonly images = computed(() =>
    (this.shelf() ?? [])
      .filter(({ state }) => state === 'ready')
      .map(({ id, title }) => ({ id, label: title })),
  );
  protected readonly imageHint = computed(() => {
    const image = this.shelf()?.find(({ id }) => id === this.plan().imageId);
    return image?.rawSize ? `Needs a card of ${bothSizes(image.rawSize)} or more.` : '';
  });
  protected readonly boardHint = computed(() => {
    const board = boardProfiles.find(({ id }) => id === this.plan().boardProfileId);
    return board ? `A first boot takes about ${clock(board.firstBootSeconds)} min (common practice).` : '';
  });
}
