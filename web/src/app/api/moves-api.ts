import { Injectable } from '@angular/core';
import { map, type Observable } from 'rxjs';
import * as z from 'zod';
import { MoveSchema, type LoginWay, type Move, type MovePlan, type MoveTask } from '@nest-mark/core/api';
import { call, once, order } from './requests';

const Current = z.object({ move: MoveSchema.nullable() });

/** The server's interface to moves. */
@Injectable({ providedIn: 'root' })
export class MovesApi {
  current = (batchId: string): Observable<Move | null> =>
    call('GET', `/batches/${batchId}/move`, Current).pipe(map(({ move }) => move));
  plan = (batchId: string, plan: MovePlan): Observable<Move> =>
    call('POST', `/batches/${batchId}/move`, MoveSchema, { body: { plan } });
  save = ({ id, version }: Move, plan: MovePlan): Observable<Move> =>
    call('PUT', `/moves/${id}`, MoveSchema, {
      body: { plan },
      headers: { 'If-Match': `"${String(version)}"` },
    });
  start = (
    { id, version }: Move,
    task: MoveTask,
    deviceIds: readonly string[],
    way: LoginWay,
  ): Observable<Move> =>
    call('POST', `/moves/${id}/start`, MoveSchema, {
      body: { task, deviceIds, way, version },
      headers: once(),
    });
  stop = (id: string): Observable<void> => order('POST', `/moves/${id}/stop`);
  putAway = (id: string): Observable<void> => order('POST', `/moves/${id}/put-away`);
}
