import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import {
  FieldViewSchema,
  type FieldPlan,
  type FieldView,
  type NewVisit,
  type Purpose,
  type TripCheckId,
} from '@nest-mark/core/api';
import { call, file, once, order, type MadeFile } from './requests';

/** The server's interface to trips into the field. */
@Injectable({ providedIn: 'root' })
export class FieldApi {
  view = (batchId: string): Observable<FieldView> =>
    call('GET', `/batches/${batchId}/field`, FieldViewSchema);
  save = ({ batchId, version }: FieldView, plan: FieldPlan): Observable<FieldView> =>
    call('PUT', `/batches/${batchId}/field`, FieldViewSchema, {
      body: { plan },
      headers: { 'If-Match': `"${String(version)}"` },
    });
  begin = ({ batchId, version }: FieldView, purpose: Purpose): Observable<FieldView> =>
    call('POST', `/batches/${batchId}/rehearsals`, FieldViewSchema, {
      body: { purpose, version },
      headers: once(),
    });
  end = (tryId: string): Observable<void> => order('POST', `/rehearsals/${tryId}/end`);
  tick = (batchId: string, check: TripCheckId, ticked: boolean): Observable<FieldView> =>
    call('PUT', `/batches/${batchId}/field/ticks/${check}`, FieldViewSchema, { body: { ticked } });
  clearTicks = (batchId: string): Observable<void> => order('DELETE', `/batches/${batchId}/field/ticks`);
  visit = (batchId: string, body: NewVisit): Observable<FieldView> =>
    call('POST', `/batches/${batchId}/visits`, FieldViewSchema, { body, headers: once() });
  bundle = (batchId: string, passphrase: string | null): Observable<MadeFile> =>
    file('POST', `/batches/${batchId}/field/bundle`, { body: { passphrase } });
}
