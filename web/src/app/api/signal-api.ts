import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import { SignalViewSchema, type ListenAt, type SignalView } from '@nest-mark/core/api';
import { call, once } from './requests';

/** The server's interface to what is heard where boards will be. */
@Injectable({ providedIn: 'root' })
export class SignalApi {
  view = (batchId: string): Observable<SignalView> =>
    call('GET', `/batches/${batchId}/signal`, SignalViewSchema);
  listen = (batchId: string, body: ListenAt): Observable<SignalView> =>
    call('POST', `/batches/${batchId}/signal`, SignalViewSchema, { body, headers: once() });
  forget = (batchId: string, place: string): Observable<SignalView> =>
    call('POST', `/batches/${batchId}/signal/forget`, SignalViewSchema, { body: { place } });
}
