import { inject, Injectable } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Finding } from '@nest-mark/core';
import { batchFeature } from '../state/batch.reducer';
import { focusField } from '../ui/focus-field';
import { partOf } from './places';

/** Opens the part of the plan that a finding is about, and goes to its field. */
@Injectable({ providedIn: 'root' })
export class GoToFinding {
  private readonly router = inject(Router);
  private readonly batchId = inject(Store).selectSignal(batchFeature.selectId);

  go({ place, deviceId, networkId }: Finding): void {
    const batchId = this.batchId();
    if (batchId === null) return;
    void this.router
      .navigate(['/batch', batchId, ...partOf(place)])
      .then(() => focusField(place, deviceId ?? networkId));
  }
}
