import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { findBoard, settingsOf, targetSteps, type TargetSteps } from '@nest-mark/core';
import { boardsFeature } from '../state/boards.reducer';
import { selectDeviceViews } from '../state/selectors';
import { batchFeature } from '../state/batch.reducer';
import { CardsActions } from './cards.reducer';

interface Group {
  board: string;
  steps: TargetSteps;
  /** Devices that still have to be written. */
  waiting: string;
  /** Devices that were written and not confirmed. */
  open: { id: string; name: string }[];
}

/** What hands do around media that are no cards: soldered flash behind a jumper, USB drives. */
@Component({
  selector: 'nm-steps-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @for (group of groups(); track group.board) {
      <section class="sheet" [attr.aria-label]="group.board">
        <h2>{{ group.steps.title }}: {{ group.board }}</h2>
        @if (group.waiting) {
          <p class="small">
            Before writing <span class="mono">{{ group.waiting }}</span>:
          </p>
          <ol class="small">
            @for (step of group.steps.before; track step) {
              <li>{{ step }}</li>
            }
          </ol>
        }
        <p class="small">After writing:</p>
        <ol class="small">
          @for (step of group.steps.after; track step) {
            <li>{{ step }}</li>
          }
        </ol>
        @for (device of group.open; track device.id) {
          <p class="notice hand row">
            <span class="grow"
              ><strong class="mono">{{ device.name }}</strong> was written. It does not start until
              {{ group.steps.check }}.</span
            >
            <button type="button" class="quiet" (click)="done(device.id)">
              For {{ device.name }}, {{ group.steps.check }}
            </button>
          </p>
        }
      </section>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    ol {
      margin: 0.25rem 0 0.5rem;
      padding-left: 1.5rem;
    }
  `,
})
export class StepsPanel {
  private readonly store = inject(Store);
  private readonly plan = this.store.selectSignal(batchFeature.selectPlan);
  private readonly boards = this.store.selectSignal(boardsFeature.selectList);
  private readonly views = this.store.selectSignal(selectDeviceViews);

  protected readonly groups = computed((): Group[] => {
    const plan = this.plan();
    if (!plan) return [];
    const groups = new Map<string, Group & { names: string[] }>();
    for (const { device, progress } of this.views()) {
      const board = findBoard(this.boards(), settingsOf(plan, device).boardProfileId);
      const steps = board ? targetSteps(board) : null;
      if (!board || !steps) continue;
      const group = groups.get(board.id) ?? { board: board.title, steps, waiting: '', open: [], names: [] };
      groups.set(board.id, group);
      if (progress?.card?.state !== 'verified') group.names.push(device.hostName);
      else if (steps.check && progress.carrierDoneAt === null)
        group.open.push({ id: device.id, name: device.hostName });
    }
    return [...groups.values()].map(({ names, ...group }) => ({
      ...group,
      waiting:
        names.slice(0, 6).join(', ') + (names.length > 6 ? ` and ${String(names.length - 6)} more` : ''),
    }));
  });

  protected done(deviceId: string): void {
    this.store.dispatch(CardsActions.carrierDone({ deviceId }));
  }
}
