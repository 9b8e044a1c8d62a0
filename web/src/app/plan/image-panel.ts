import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { adviseImages, bothSizes, clock, findBoard, widthAdvice } from '@nest-mark/core';
import { Select } from 'primeng/select';
import { boardsFeature } from '../state/boards.reducer';
import { sameChoices } from '../ui/choices';
import { selectImageFacts } from '../state/selectors';
import { Field } from '../ui/field';
import { PlanEditor } from './plan-editor';

/** Which image goes onto the cards and which boards they are for, and how well they suit each other. */
@Component({
  selector: 'nm-image-panel',
  imports: [Field, FormsModule, Select],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <section class="sheet" aria-labelledby="image-panel">
      <h2 id="image-panel">Image and board</h2>
      <div class="pair">
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
      </div>
      @if (advice(); as advice) {
        <section class="advices" aria-labelledby="advice-title">
          <h3 id="advice-title">Which image suits this board</h3>
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
        </section>
      }
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
export class ImagePanel {
  protected readonly editor = inject(PlanEditor);
  protected readonly plan = this.editor.plan;
  private readonly store = inject(Store);
  private readonly shelf = this.store.selectSignal(selectImageFacts);
  protected readonly boards = computed(() => [...this.allBoards()]);
  private readonly allBoards = this.store.selectSignal(boardsFeature.selectList);
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
