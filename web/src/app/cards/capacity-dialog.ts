import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { capacityPhrase, type StartCapacityCheck } from '@nest-mark/core';
import { AutoFocus } from 'primeng/autofocus';
import { Button } from 'primeng/button';
import { Dialog } from 'primeng/dialog';
import { InputText } from 'primeng/inputtext';
import { RadioButton } from 'primeng/radiobutton';
import { StationActions, stationFeature } from '../state/station.reducer';
import { isOverruled, OverruleField } from './overrule-field';
import { readOut, type SlotView } from './slots';

/** Asks before a card's capacity is checked, or it is emptied to its full size, which erases it. */
@Component({
  selector: 'nm-capacity-dialog',
  imports: [AutoFocus, Button, Dialog, FormsModule, InputText, OverruleField, RadioButton],
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <p-dialog
      header="This card will be erased"
      [visible]="true"
      (visibleChange)="leave()"
      [modal]="true"
      closeAriaLabel="Close"
      [focusOnShow]="false"
      [draggable]="false"
      [style]="{ width: '40rem' }"
    >
      <form (ngSubmit)="confirm()">
        <p class="erased">
          <strong>{{ slot().proposed.slotTitle }}</strong>: {{ erased() }}
        </p>
        @for (choice of choices; track choice.id) {
          <div class="row choice">
            <p-radiobutton
              name="what"
              [inputId]="'what-' + choice.id"
              [value]="choice.id"
              [ngModel]="what()"
              (ngModelChange)="what.set($event)"
            />
            <label [for]="'what-' + choice.id"
              ><strong>{{ choice.title }}</strong
              ><br /><span class="small soft">{{ choice.more }}</span></label
            >
          </div>
        }
        @if (slot().proposed.overruledBy; as sentence) {
          <nm-overrule-field [slotId]="slot().proposed.slotId" [sentence]="sentence" [(typed)]="overrule" />
        }
        <div class="field">
          <label for="capacity-confirm"
            >Type <span class="mono">{{ phrase }}</span> to go on</label
          >
          <input
            pInputText
            class="mono"
            id="capacity-confirm"
            name="confirm"
            autocomplete="off"
            spellcheck="false"
            [pAutoFocus]="true"
            [ngModel]="typed()"
            (ngModelChange)="typed.set($event)"
          />
        </div>
        @if (problem(); as problem) {
          <p class="notice hand" role="alert">{{ problem.detail }}</p>
        }
        <div class="row buttons">
          <p-button type="submit" label="Erase and begin" [disabled]="!fits() || sending()" />
          <p-button
            label="Leave everything as it is"
            severity="secondary"
            [text]="true"
            (onClick)="leave()"
          />
        </div>
      </form>
    </p-dialog>
  `,
  styles: `
    .erased {
      border-left: 6px solid var(--clay);
      background: var(--clay-wash);
      padding: 0.5rem 0.75rem;
      margin-bottom: 0.75rem;
    }
    .choice {
      flex-wrap: nowrap;
      min-height: 48px;
    }
    .field {
      margin-top: 0.75rem;
    }
    .buttons {
      margin-top: 1rem;
    }
  `,
})
export class CapacityDialog {
  private readonly store = inject(Store);
  readonly slot = input.required<SlotView>();
  readonly left = output();
  protected readonly sending = this.store.selectSignal(stationFeature.selectSending);
  protected readonly problem = this.store.selectSignal(stationFeature.selectProblem);
  private readonly checksBegun = this.store.selectSignal(stationFeature.selectChecksBegun);
  private readonly before = this.checksBegun();
  protected readonly phrase = capacityPhrase;
  protected readonly typed = signal('');
  protected readonly what = signal<StartCapacityCheck['what']>('check-and-restore');
  protected readonly choices: { id: StartCapacityCheck['what']; title: string; more: string }[] = [
    {
      id: 'check-and-restore',
      title: 'Check it, then show its full size',
      more: 'Finds out in minutes whether it holds what it says, and leaves one empty partition over all of it.',
    },
    { id: 'check', title: 'Check it only', more: 'Leaves the stamps on it; write an image next.' },
    {
      id: 'restore',
      title: 'Show its full size only',
      more: 'For a card that shows only the small first partition of an old image. Seconds.',
    },
  ];
  protected readonly erased = computed(() => readOut(this.slot()));
  protected readonly overrule = signal('');
  protected readonly fits = computed(
    () =>
      this.typed().trim().toLowerCase() === capacityPhrase &&
      isOverruled(this.slot().proposed.overruledBy, this.overrule()),
  );

  constructor() {
    effect(() => {
      if (this.checksBegun() > this.before) this.left.emit();
    });
  }

  protected leave(): void {
    this.store.dispatch(StationActions.capacityLeft());
    this.left.emit();
  }

  protected confirm(): void {
    const { slotId, medium } = this.slot().proposed;
    if (!medium || !this.fits() || this.sending()) return;
    this.store.dispatch(
      StationActions.capacityWanted({
        order: {
          slotId,
          identity: medium.identity,
          confirm: this.typed().trim(),
          what: this.what(),
          ...(this.overrule() === '' ? {} : { overrule: this.overrule() }),
        },
      }),
    );
  }
}
