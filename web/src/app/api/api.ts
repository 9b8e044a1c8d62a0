import { Injectable } from '@angular/core';
import { from, type Observable } from 'rxjs';
import * as z from 'zod';
import {
  BatchProgressSchema,
  FoundSchema,
  BatchSchema,
  BatchSummarySchema,
  BoardListSchema,
  CodePatternSchema,
  type CodePattern,
  ImageSchema,
  NewerImageSchema,
  type NewerImage,
  ImportedPlanSchema,
  LogEntrySchema,
  MadeKeySchema,
  NetworkListSchema,
  PassportSchema,
  RetiredDeviceSchema,
  PracticeViewSchema,
  ProposalSchema,
  BoardTimeListSchema,
  RateListSchema,
  RoundSchema,
  PlaceSchema,
  CasesSchema,
  SearchSchema,
  BoardOutputSchema,
  BringUpSchema,
  type OpenTerminalSchema,
  TerminalSchema,
  TablePreviewSchema,
  WatchSchema,
  NetworkWaySchema,
  type NetworkWay,
  TriedMethodSchema,
  type ArmRound,
  type Batch,
  type BoardOutput,
  type BringUp,
  type LoginWay,
  type BatchProgress,
  type BatchSummary,
  type Image,
  type ImportedPlan,
  type KeyType,
  type LogEntry,
  type MadeKey,
  type CaseAnswer,
  type CaseMend,
  type CaseUnsaid,
  type CaseView,
  type Found,
  type GivenClues,
  type Naming,
  type HostTable,
  type Passport,
  type Place,
  type StartWatch,
  type Watch,
  type RetiredDevice,
  type PracticeAction,
  type PracticeView,
  type Proposal,
  type ResumeRound,
  type Round,
  type SaveNetwork,
  type SavePlan,
  type Search,
  type TriedMethod,
  type TryMethod,
} from '@nest-mark/core/api';
import {
  ShelvedBoardSchema,
  ShelvedMethodSchema,
  ShelvedNetworkSchema,
  type BoardProfile,
  type ImageAbout,
  type BoardTime,
  type MeasuredRate,
  type OwnDescription,
  type ShelvedBoard,
  type ShelvedMethod,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { answered, call, once, order } from './requests';

const ifMatch = (version: number): Record<string, string> => ({ 'If-Match': `"${String(version)}"` });

const revealed = z.object({ value: z.string().nullable() });

/** The server's HTTP interface; every answer is checked against the schema that the server uses too. */
@Injectable({ providedIn: 'root' })
export class Api {
  batches = (): Observable<BatchSummary[]> => call('GET', '/batches', z.array(BatchSummarySchema));
  batch = (id: string): Observable<Batch> => call('GET', `/batches/${id}`, BatchSchema);
  createBatch = (body: SavePlan): Observable<Batch> => call('POST', '/batches', BatchSchema, { body });
  saveBatch = (id: string, version: number, body: SavePlan): Observable<Batch> =>
    call('PUT', `/batches/${id}`, BatchSchema, { body, headers: ifMatch(version) });
  progress = (id: string): Observable<BatchProgress> =>
    call('GET', `/batches/${id}/progress`, BatchProgressSchema);
  reveal = (id: string, kind: string, deviceId?: string): Observable<{ value: string | null }> =>
    call('POST', `/batches/${id}/reveal`, revealed, {
      body: { kind, ...(deviceId === undefined ? {} : { deviceId }) },
    });
  planFile = (id: string, passphrase: string | null): Observable<string> =>
    from(
      answered('POST', `/batches/${id}/plan-file`, { body: { passphrase } }).then((response) =>
        response.text(),
      ),
    );
  importPlan = (file: string, passphrase: string | null): Observable<ImportedPlan> =>
    call('POST', '/plan-files', ImportedPlanSchema, { body: { file, passphrase } });
  powered = (id: string, deviceIds: string[]): Observable<void> =>
    order('POST', `/batches/${id}/powered`, { body: { deviceIds } });
  handedOver = (id: string, deviceIds: string[]): Observable<void> =>
    order('POST', `/batches/${id}/handed-over`, { body: { deviceIds } });

  nextRound = (id: string): Observable<Proposal> => call('GET', `/batches/${id}/next-round`, ProposalSchema);
  armRound = (id: string, body: ArmRound): Observable<Round> =>
    call('POST', `/batches/${id}/rounds`, RoundSchema, { body, headers: once() });
  resumeRound = (id: string, body: ResumeRound): Observable<Round> =>
    call('POST', `/rounds/${id}/resume`, RoundSchema, { body, headers: once() });
  cancelRound = (id: string): Observable<void> => order('POST', `/rounds/${id}/cancel`);

  startSearch = (id: string, subnet: string, port: number): Observable<Search> =>
    call('POST', `/batches/${id}/searches`, SearchSchema, { body: { subnet, port }, headers: once() });
  places = (): Observable<Place[]> => call('GET', '/places', z.array(PlaceSchema));
  way = (subnet: string): Observable<NetworkWay> =>
    call('GET', `/places/way?subnet=${encodeURIComponent(subnet)}`, NetworkWaySchema);
  startWatch = (id: string, body: StartWatch): Observable<Watch> =>
    call('POST', `/batches/${id}/watches`, WatchSchema, { body, headers: once() });
  stopWatch = (id: string): Observable<void> => order('POST', `/watches/${id}/stop`);
  previewClues = (id: string, text: string): Observable<HostTable> =>
    call('POST', `/batches/${id}/clues/preview`, TablePreviewSchema, { body: { text } });
  giveClues = (id: string, body: GivenClues): Observable<Watch> =>
    call('POST', `/batches/${id}/clues`, WatchSchema, { body, headers: once() });
  /** Why boards of a batch do not appear. */
  cases = (id: string): Observable<{ cases: CaseView[] }> => call('GET', `/batches/${id}/cases`, CasesSchema);
  answerCase = (id: string, body: CaseAnswer): Observable<void> =>
    order('POST', `/batches/${id}/cases/answers`, { body, headers: once() });
  unsayCase = (id: string, body: CaseUnsaid): Observable<void> =>
    order('POST', `/batches/${id}/cases/answers/take-back`, { body });
  mendCase = (id: string, body: CaseMend): Observable<void> =>
    order('POST', `/batches/${id}/cases/mends`, { body, headers: once() });
  /** Remembers who is there, to tell what comes after. */
  remember = (id: string): Observable<void> =>
    order('POST', `/batches/${id}/remembered`, { headers: once() });
  forgetRemembered = (id: string): Observable<void> => order('DELETE', `/batches/${id}/remembered`);
  nameBoard = (id: string, body: Naming): Observable<void> =>
    order('POST', `/batches/${id}/namings`, { body, headers: once() });
  cancelSearch = (id: string): Observable<void> => order('POST', `/searches/${id}/cancel`);

  handOverFile = (id: string, file: string): Observable<string> =>
    from(answered('GET', `/batches/${id}/hand-over/${file}`, {}).then((response) => response.text()));

  bringUp = (id: string): Observable<BringUp> => call('GET', `/batches/${id}/bring-up`, BringUpSchema);
  startBringUp = (id: string, deviceIds: string[], way: LoginWay): Observable<BringUp> =>
    call('POST', `/batches/${id}/bring-up`, BringUpSchema, { body: { deviceIds, way }, headers: once() });
  stopBringUp = (id: string): Observable<void> => order('POST', `/batches/${id}/bring-up/stop`);
  skipStep = (id: string, deviceId: string, stepId: string, reason: string): Observable<void> =>
    order('POST', `/batches/${id}/bring-up/${deviceId}/skips`, { body: { stepId, reason } });
  boardOutput = (id: string, deviceId: string, from: number): Observable<BoardOutput> =>
    call('GET', `/batches/${id}/bring-up/${deviceId}/output?from=${String(from)}`, BoardOutputSchema);

  openTerminal = (
    id: string,
    deviceId: string,
    body: z.input<typeof OpenTerminalSchema>,
  ): Observable<{ ticket: string }> =>
    call('POST', `/batches/${id}/devices/${deviceId}/terminal`, TerminalSchema, { body });

  networks = (): Observable<ShelvedNetwork[]> => call('GET', '/networks', NetworkListSchema);
  addNetwork = (body: SaveNetwork): Observable<ShelvedNetwork> =>
    call('POST', '/networks', ShelvedNetworkSchema, { body });
  saveNetwork = (id: string, version: number, body: SaveNetwork): Observable<ShelvedNetwork> =>
    call('PUT', `/networks/${id}`, ShelvedNetworkSchema, { body, headers: ifMatch(version) });
  networkCode = (id: string): Observable<CodePattern> =>
    call('POST', `/networks/${id}/code`, CodePatternSchema);
  removeNetwork = (id: string): Observable<void> => order('DELETE', `/networks/${id}`);
  revealNetwork = (id: string): Observable<{ value: string | null }> =>
    call('POST', `/networks/${id}/reveal`, revealed);

  boards = (): Observable<ShelvedBoard[]> => call('GET', '/boards', BoardListSchema);
  saveBoard = (board: BoardProfile, version: number): Observable<ShelvedBoard> =>
    call('PUT', `/boards/${encodeURIComponent(board.id)}`, ShelvedBoardSchema, {
      body: { board },
      headers: ifMatch(version),
    });
  removeBoard = (id: string): Observable<void> => order('DELETE', `/boards/${encodeURIComponent(id)}`);
  boardTimes = (): Observable<BoardTime[]> => call('GET', '/board-times', BoardTimeListSchema);
  rates = (): Observable<MeasuredRate[]> => call('GET', '/rates', RateListSchema);
  makeKey = (type: KeyType, comment: string, passphrase: string): Observable<MadeKey> =>
    call('POST', '/keys', MadeKeySchema, { body: { type, comment, passphrase } });

  methods = (): Observable<ShelvedMethod[]> => call('GET', '/methods', z.array(ShelvedMethodSchema));
  saveMethod = (id: string, description: OwnDescription, version: number): Observable<ShelvedMethod> =>
    call('PUT', `/methods/${id}`, ShelvedMethodSchema, { body: { description }, headers: ifMatch(version) });
  removeMethod = (id: string): Observable<void> => order('DELETE', `/methods/${id}`);
  tryMethod = (body: TryMethod): Observable<TriedMethod> =>
    call('POST', '/checks/method', TriedMethodSchema, { body });

  images = (): Observable<Image[]> => call('GET', '/images', z.array(ImageSchema));
  addImage = (body: { path: string; title: string; sha256: string }): Observable<Image> =>
    call('POST', '/images', ImageSchema, { body, headers: once() });
  describeImage = (id: string, title: string, about: ImageAbout): Observable<Image> =>
    call('PUT', `/images/${id}/about`, ImageSchema, { body: { title, about } });
  stopImage = (id: string): Observable<void> => order('POST', `/images/${id}/stop`);
  newerImage = (id: string): Observable<NewerImage> => call('POST', `/images/${id}/newer`, NewerImageSchema);
  removeImage = (id: string): Observable<void> => order('DELETE', `/images/${id}`);

  passport = (batchId: string, deviceId: string): Observable<Passport> =>
    call('GET', `/batches/${batchId}/devices/${deviceId}/passport`, PassportSchema);
  /** Looks through all batches there ever were. */
  found = (text: string): Observable<Found[]> =>
    call('GET', `/found?${new URLSearchParams({ text }).toString()}`, z.array(FoundSchema));
  retired = (batchId: string): Observable<RetiredDevice[]> =>
    call('GET', `/batches/${batchId}/retired`, z.array(RetiredDeviceSchema));
  log = (query: Record<string, string>): Observable<LogEntry[]> =>
    call('GET', `/log?${new URLSearchParams(query).toString()}`, z.array(LogEntrySchema));

  practice = (): Observable<PracticeView> => call('GET', '/practice', PracticeViewSchema);
  practiceAction = (body: PracticeAction): Observable<PracticeView> =>
    call('POST', '/practice/actions', PracticeViewSchema, { body });
}
