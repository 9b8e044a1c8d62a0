import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { BringUpPlan, OwnStep, StepView } from '@nest-mark/core';
import { shippedSteps } from '@nest-mark/core/bring-up';
import { PlanEditor } from '../plan/plan-editor';
import { bounded } from '../plan/numeric';
import { OwnSteps } from './own-steps';

/** Where package caches of Debian listen as they are installed (common practice). */
const USUAL_PORT = 3142;

/** Which steps a batch takes, and how many boards at once. */
@Component({
  selector: 'nm-steps-panel',
  imports: [FormsModule, OwnSteps],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './steps-panel.html',
  styleUrl: './steps-panel.css',
})
export class StepsPanel {
  private readonly editor = inject(PlanEditor);
  /** Steps as the server has them; the plan may have been changed since. */
  readonly steps = input.required<readonly StepView[]>();
  protected readonly plan = computed(() => this.editor.plan().bringUp);
  protected readonly open = signal(false);
  protected readonly rows = computed(() =>
    shippedSteps.map(({ id, title, why, change }) => ({
      id,
      title,
      why,
      changes: change !== null,
      taken: !this.plan().without.includes(id),
      notFor: new Set(this.plan().roles.flatMap((one) => (one.without.includes(id) ? [one.role] : []))),
    })),
  );
  /** Roles of the batch's devices, where there are several. */
  protected readonly roles = computed(() => {
    const all = [...new Set(this.editor.plan().devices.map(({ role }) => role))].sort();
    return all.length > 1 ? all : [];
  });
  protected readonly left = computed(() => this.rows().filter(({ taken }) => !taken));

  protected take(id: string, taken: boolean): void {
    this.change(({ without }) => ({
      without: taken ? without.filter((one) => one !== id) : [...without.filter((one) => one !== id), id],
    }));
  }

  protected leaveOutFor(role: string, id: string, left: boolean): void {
    this.change(({ roles }) => {
      const without = (roles.find((one) => one.role === role)?.without ?? []).filter((one) => one !== id);
      return {
        roles: [
          ...roles.filter((one) => one.role !== role),
          { role, without: left ? [...without, id] : without },
        ].filter((one) => one.without.length > 0),
      };
    });
  }

  protected setOneFirst(oneFirst: boolean): void {
    this.change(() => ({ oneFirst }));
  }

  protected setAtOnce(value: number): void {
    const atOnce = bounded(Math.floor(value), 1, 64);
    if (atOnce !== null) this.change(() => ({ atOnce }));
  }

  protected setScreen(screen: boolean): void {
    this.change(() => ({ screen }));
  }

  protected setThrough(through: boolean): void {
    this.change(() => ({ packagePort: through ? USUAL_PORT : null }));
  }

  protected setPort(value: number): void {
    const packagePort = bounded(Math.floor(value), 1, 65_535);
    if (packagePort !== null) this.change(() => ({ packagePort }));
  }

  protected setOwn(own: OwnStep[]): void {
    // A step that was never tried goes to one board first.
    this.change((plan) => ({ own, oneFirst: plan.oneFirst || own.length > plan.own.length }));
  }

  private change(change: (plan: BringUpPlan) => Partial<BringUpPlan>): void {
    this.editor.edit((plan) => ({ ...plan, bringUp: { ...plan.bringUp, ...change(plan.bringUp) } }), '');
  }
}
