import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import { ShelvedNetworkSchema, type ShelvedNetwork } from '@nest-mark/core';
import { AirViewSchema, SavedViewSchema, type AirView, type SavedView } from '@nest-mark/core/api';
import { call, once } from './requests';

/** The server's interface to the air. */
@Injectable({ providedIn: 'root' })
export class AirApi {
  view = (): Observable<AirView> => call('GET', '/air', AirViewSchema);
  look = (adapter: string): Observable<AirView> =>
    call('POST', '/air/look', AirViewSchema, { body: { adapter }, headers: once() });
  saved = (): Observable<SavedView> => call('GET', '/air/saved', SavedViewSchema);
  takeSaved = (id: string): Observable<ShelvedNetwork> =>
    call('POST', '/air/saved/take', ShelvedNetworkSchema, { body: { id }, headers: once() });
  tryKey = (
    networkId: string,
    version: number,
    adapter: string,
    agreed: boolean,
  ): Observable<ShelvedNetwork> =>
    call('POST', `/networks/${networkId}/try`, ShelvedNetworkSchema, {
      body: { adapter, agreed },
      headers: { ...once(), 'If-Match': `"${String(version)}"` },
    });
}
