import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import { AirViewSchema, TriedKeySchema, type AirView, type TriedKey } from '@nest-mark/core/api';
import { call, once } from './requests';

/** The server's interface to the air. */
@Injectable({ providedIn: 'root' })
export class AirApi {
  view = (): Observable<AirView> => call('GET', '/air', AirViewSchema);
  look = (adapter: string): Observable<AirView> =>
    call('POST', '/air/look', AirViewSchema, { body: { adapter }, headers: once() });
  tryKey = (networkId: string, version: number, adapter: string, agreed: boolean): Observable<TriedKey> =>
    call('POST', `/networks/${networkId}/try`, TriedKeySchema, {
      body: { adapter, agreed },
      headers: { ...once(), 'If-Match': `"${String(version)}"` },
    });
}
