import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import {
  ExposureSchema,
  HandOverViewSchema,
  InstallationKeySchema,
  KnownHostsChangeSchema,
  MergedKnownHostsSchema,
  PaperSchema,
  SavedLabelSizeSchema,
  VpnViewSchema,
  type CredentialsWanted,
  type Exposure,
  type HandOverView,
  type KnownHostsChange,
  type KnownHostsPlace,
  type LabelsWanted,
  type LoginWay,
  type Paper,
  type SavedLabelSize,
  type TakenOver,
  type VpnView,
} from '@nest-mark/core/api';
import type { LabelSize } from '@nest-mark/core';
import type * as z from 'zod';
import { call, file, once, order, type MadeFile } from './requests';

/** The server's interface to handing devices over; every answer is checked as everywhere. */
@Injectable({ providedIn: 'root' })
export class HandOverApi {
  view = (id: string): Observable<HandOverView> =>
    call('GET', `/batches/${id}/hand-over`, HandOverViewSchema);
  takeOver = (id: string, body: TakenOver): Observable<void> =>
    order('POST', `/batches/${id}/taken-over`, { body });
  closeRetired = (id: string, deviceId: string, reason: string, forget: boolean): Observable<void> =>
    order('POST', `/batches/${id}/devices/${deviceId}/retirement`, { body: { reason, forget } });

  labels = (id: string, body: LabelsWanted): Observable<Paper> =>
    call('POST', `/batches/${id}/hand-over/labels`, PaperSchema, { body });
  labelsFile = (id: string, body: LabelsWanted): Observable<MadeFile> =>
    file('POST', `/batches/${id}/hand-over/labels.pdf`, { body });
  saveLabelSize = (body: LabelSize): Observable<SavedLabelSize> =>
    call('POST', '/label-sizes', SavedLabelSizeSchema, { body });
  removeLabelSize = (id: string): Observable<void> => order('DELETE', `/label-sizes/${id}`);

  lookAtKnownHosts = (id: string, body: KnownHostsPlace): Observable<KnownHostsChange> =>
    call('POST', `/batches/${id}/hand-over/known-hosts/look`, KnownHostsChangeSchema, { body });
  mergeKnownHosts = (
    id: string,
    body: KnownHostsPlace & { digest: string | null },
  ): Observable<z.infer<typeof MergedKnownHostsSchema>> =>
    call('POST', `/batches/${id}/hand-over/known-hosts/merge`, MergedKnownHostsSchema, { body });

  credentials = (id: string, body: CredentialsWanted): Observable<MadeFile> =>
    file('POST', `/batches/${id}/hand-over/credentials`, { body });

  vpn = (id: string): Observable<VpnView> =>
    call('GET', `/batches/${id}/hand-over/vpn/places`, VpnViewSchema);
  vpnFile = (id: string, deviceId: string | null): Observable<MadeFile> =>
    file('POST', `/batches/${id}/hand-over/vpn`, { body: { deviceId } });

  exposure = (id: string): Observable<Exposure> => call('GET', `/batches/${id}/exposure`, ExposureSchema);
  startExposure = (id: string, deviceIds: string[], way: LoginWay | null): Observable<Exposure> =>
    call('POST', `/batches/${id}/exposure`, ExposureSchema, { body: { deviceIds, way }, headers: once() });
  stopExposure = (id: string): Observable<void> => order('POST', `/batches/${id}/exposure/stop`);

  installationKey = (): Observable<z.infer<typeof InstallationKeySchema>> =>
    call('GET', '/installation-key', InstallationKeySchema);
}
