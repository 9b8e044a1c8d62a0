import {
  ChangeDetectionStrategy,
  Component,
  computed,
  inject,
  type OnDestroy,
  type OnInit,
} from '@angular/core';
import { Store } from '@ngrx/store';
import type { Purpose } from '@nest-mark/core/api';
import { besideOthers } from '@nest-mark/core/in-field';
import { Button } from 'primeng/button';
import { PlanEditor } from '../plan/plan-editor';
import { BatteryPart } from './battery-part';
import { BundlePart } from './bundle-part';
import { CheckList } from './check-list';
import { standWords } from './field-words';
import { FieldActions, fieldFeature } from './field.reducer';
import { RehearsalPart } from './rehearsal-part';
import { TripPart } from './trip-part';
import { VisitsPart } from './visits-part';

/** A batch's trip to where it works: rehearsed, checked, packed, and what was done there. */
@Component({
  selector: 'nm-field-page',
  imports: [BatteryPart, BundlePart, Button, CheckList, RehearsalPart, TripPart, VisitsPart],
  changeDetection: ChangeDetectionStrategy.OnPush,
  templateUrl: './field-page.html',
  styleUrls: ['../ui/sheets.css', './field.css'],
})
export class FieldPage implements OnInit, OnDestroy {
  private readonly store = inject(Store);
  private readonly editor = inject(PlanEditor);
  protected readonly view = this.store.selectSignal(fieldFeature.selectView);
  protected readonly problem = this.store.selectSignal(fieldFeature.selectProblem);
  /** What is typed is saved first: it goes by the trip as the server has it. */
  private readonly dirty = this.store.selectSignal(fieldFeature.selectDirty);
  /** The try that goes on. */
  protected readonly open = computed(() => {
    const now = this.view()?.rehearsals.find(({ endedAt }) => endedAt === null);
    return now
      ? {
          id: now.id,
          network: now.network,
          proved: now.boards.filter(({ provedAt }) => provedAt !== null).length,
          of: now.boards.length,
        }
      : null;
  });
  protected readonly stand = computed(() => standWords[this.view()?.standing ?? 'none']);
  protected readonly stopped = computed(
    () => this.dirty() || (this.view()?.findings.some(({ stops }) => stops) ?? true),
  );

  ngOnInit(): void {
    this.store.dispatch(FieldActions.lookedAt());
  }

  ngOnDestroy(): void {
    this.store.dispatch(FieldActions.lookedAway());
  }

  protected begin(purpose: Purpose): void {
    this.store.dispatch(FieldActions.begun({ purpose }));
  }

  protected end(tryId: string): void {
    this.store.dispatch(FieldActions.ended({ tryId }));
  }

  /** Cards that are written from now on join the field's network too. */
  protected intoPlan(): void {
    const networkId = this.view()?.plan.networkId ?? null;
    if (networkId !== null) this.editor.edit((plan) => besideOthers(plan, networkId));
  }

  protected anew(): void {
    this.store.dispatch(FieldActions.listsBegunAnew());
  }
}
