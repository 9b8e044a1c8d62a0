import { inject, Injectable } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { batchFeature } from '../state/batch.reducer';

/** Opens the passport of a device of the open batch. */
@Injectable({ providedIn: 'root' })
export class OpenPassport {
  private readonly router = inject(Router);
  private readonly batchId = inject(Store).selectSignal(batchFeature.selectId);

  open(deviceId: string): void {
    const batchId = this.batchId();
    if (batchId !== null) void this.router.navigate(['/batch', batchId, 'device', deviceId]);
  }
}
