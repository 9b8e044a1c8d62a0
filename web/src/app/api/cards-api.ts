import { Injectable } from '@angular/core';
import type { Observable } from 'rxjs';
import * as z from 'zod';
import {
  StationSettingsSchema,
  CardComparisonSchema,
  CardFilesSchema,
  CardRecordSchema,
  DiskSurveySchema,
  ExportedCardSchema,
  ProposalSchema,
  ReadTrialSchema,
  SentBootFilesSchema,
  SlotCheckSchema,
  UploadSchema,
  type StationSettings,
  type CardComparison,
  type CardFiles,
  type CardRecord,
  type DiskSurvey,
  type ExportForm,
  type Proposal,
  type ReadTrial,
  type StartCapacityCheck,
  type SaveCard,
  type SentBootFiles,
  type SlotCheck,
  type Upload,
} from '@nest-mark/core/api';
import { call, once, order } from './requests';

type MediumIdentity = StartCapacityCheck['identity'];

/** The part of the server's interface that is about single cards, images on their way, and the station. */
@Injectable({ providedIn: 'root' })
export class CardsApi {
  pauseRound = (id: string, paused: boolean): Observable<void> =>
    order('POST', `/rounds/${id}/pause`, { body: { paused } });

  carrierDone = (id: string, deviceIds: string[]): Observable<void> =>
    order('POST', `/batches/${id}/carrier-done`, { body: { deviceIds } });

  cards = (): Observable<CardRecord[]> => call('GET', '/cards', z.array(CardRecordSchema));
  saveCard = (key: string, body: SaveCard): Observable<CardRecord> =>
    call('PUT', `/cards/${encodeURIComponent(key)}`, CardRecordSchema, { body });
  checkCapacity = (body: StartCapacityCheck): Observable<CardRecord> =>
    call('POST', '/cards/capacity-check', CardRecordSchema, { body, headers: once() });
  stopCheck = (key: string): Observable<void> => order('POST', `/cards/${encodeURIComponent(key)}/stop`);

  disks = (): Observable<DiskSurvey[]> => call('GET', '/disks', z.array(DiskSurveySchema));
  trySlot = (id: string): Observable<ReadTrial> =>
    call('POST', `/slots/${encodeURIComponent(id)}/try`, ReadTrialSchema);
  releaseSlot = (id: string): Observable<void> => order('POST', `/slots/${encodeURIComponent(id)}/release`);
  ejectSlot = (id: string): Observable<void> => order('POST', `/slots/${encodeURIComponent(id)}/eject`);

  slots = (batchId: string): Observable<Proposal> =>
    call('GET', `/batches/${batchId}/next-round`, ProposalSchema);
  checkSlot = (id: string, identity: MediumIdentity): Observable<SlotCheck> =>
    call('POST', `/slots/${encodeURIComponent(id)}/check`, SlotCheckSchema, { body: { identity } });
  mendSlot = (
    id: string,
    identity: MediumIdentity,
    finding: { id: string; file: string; line: number | null },
  ): Observable<SlotCheck> =>
    call('POST', `/slots/${encodeURIComponent(id)}/mend`, SlotCheckSchema, {
      body: { identity, id: finding.id, file: finding.file, line: finding.line },
    });

  rewriteSettings = (id: string, identity: MediumIdentity): Observable<SlotCheck> =>
    call('POST', `/slots/${encodeURIComponent(id)}/settings`, SlotCheckSchema, { body: { identity } });

  slotFiles = (id: string, identity: MediumIdentity): Observable<SentBootFiles> =>
    call('POST', `/slots/${encodeURIComponent(id)}/files`, SentBootFilesSchema, { body: { identity } });
  checkPath = (path: string): Observable<SlotCheck> =>
    call('POST', '/checks/path', SlotCheckSchema, { body: { path } });
  pathFiles = (path: string): Observable<SentBootFiles> =>
    call('POST', '/checks/path/files', SentBootFilesSchema, { body: { path } });
  compareCard = (body: SentBootFiles): Observable<CardComparison | null> =>
    call('POST', '/checks/compare', CardComparisonSchema.nullable(), { body });

  stationSettings = (): Observable<StationSettings> =>
    call('GET', '/settings/station', StationSettingsSchema);
  setStation = (body: StationSettings): Observable<StationSettings> =>
    call('PUT', '/settings/station', StationSettingsSchema, { body });

  exportCard = (
    batchId: string,
    deviceId: string,
    form: ExportForm,
  ): Observable<z.infer<typeof ExportedCardSchema>> =>
    call('POST', `/batches/${batchId}/devices/${deviceId}/export`, ExportedCardSchema, { body: { form } });

  cardFiles = (batchId: string, deviceId: string, reveal: boolean): Observable<CardFiles> =>
    call('POST', `/batches/${batchId}/devices/${deviceId}/files`, CardFilesSchema, { body: { reveal } });

  uploads = (): Observable<Upload[]> => call('GET', '/uploads', z.array(UploadSchema));
  dropUpload = (id: string): Observable<void> =>
    order('DELETE', `/uploads/${id}`, { headers: { 'Tus-Resumable': '1.0.0' } });
}
