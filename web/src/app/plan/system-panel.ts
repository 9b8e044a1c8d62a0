import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { adviseImages, bothSizes, clock, findBoard, timeZones, widthAdvice } from '@nest-mark/core';
import { InputText } from 'primeng/inputtext';
import { Select } from 'primeng/select';
import { boardsFeature } from '../state/boards.reducer';
import { sameChoices } from '../ui/choices';
import { selectImageFacts } from '../state/selectors';
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
          [options]="boards()"
          optionLabel="title"
          optionValue="id"
          [ngModel]="plan().boardProfileId"
          (ngModelChange)="editor.set({ boardProfileId: $event }, 'boardProfileId')"
        />
      </nm-field>
      @if (advice(); as advice) {
        <details>
          <summary class="small">Which image suits this board</summary>
          <p class="small">{{ advice.width.text }} ({{ advice.width.source }})</p>
          @for (entry of advice.images; track entry.image.id) {
            <div class="advice">
              <div class="row">
                <strong class="grow">{{ entry.image.title }}</strong>
                @if (entry.image.id === plan().imageId) {
                  <span class="small soft">chosen</span>
                } @else {
                  <button
                    type="button"
                    class="quiet"
                    (click)="editor.set({ imageId: entry.image.id }, 'imageId')"
                  >
                    Take this one
                  </button>
                }
              </div>
              <ul class="small">
                @for (line of entry.lines; track line.text) {
                  <li [class.clay]="line.stands === 'against'">
                    {{ line.stands === 'for' ? 'For it: ' : line.stands === 'against' ? 'Against it: ' : ''
                    }}{{ line.text }} <span class="soft">({{ line.source }})</span>
                  </li>
                }
              </ul>
            </div>
          }
        </details>
      }
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
  styles: `
    .advice {
      border-left: 4px solid var(--line-strong);
      padding-left: 0.75rem;
      margin-top: 0.625rem;
    }
    ul {
      margin: 0.25rem 0 0;
      padding-left: 1.25rem;
    }
  `,
})
export class SystemPanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  private readonly store = inject(Store);
  private readonly shelf = this.store.selectSignal(selectImageFacts);
  protected readonly boards = computed(() => [...this.allBoards()]);
  private readonly allBoards = this.store.selectSignal(boardsFeature.selectList);
  protected readonly zones = timeZones();
  protected readonly images = computed(() => this.shelf().map(({ id, title }) => ({ id, label: title })), {
    equal: sameChoices,
  });
  protected readonly imageHint = computed(() => {
    const image = this.shelf().find(({ id }) => id === this.plan().imageId);
    return image ? `Needs a card of ${bothSizes(image.rawSize)} or more.` : '';
  });
  private readonly board = computed(() => findBoard(this.allBoards(), this.plan().boardProfileId));
  protected readonly boardHint = computed(() => {
    const board = this.board();
    return board ? `A first boot takes about ${clock(board.firstBootSeconds)} min (common practice).` : '';
  });
  protected readonly advice = computed(() => {
    const board = this.board();
    return board && this.shelf().length > 0
      ? {
          width: widthAdvice(board),
          images: adviseImages(board, this.shelf(), this.plan().kit.cardGB * 1e9),
        }
      : null;
  });
}
