import { queryOf } from './addresses.ts';
import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import type { AppDifference } from '@keen-larder/core/larder/comparing/apps.ts';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import type { PracticePhone, PracticeView } from '@keen-larder/contract/practice.ts';
import type { RecordsOnPhone } from '@keen-larder/contract/copies.ts';
import type { ConnectionsView } from '@keen-larder/contract/connections.ts';
import type { Shop } from '@keen-larder/core/jobs/report.ts';
import type { JobDetail, JobView } from '@keen-larder/contract/jobs.ts';
import type { JobChange, JobDraft } from '@keen-larder/contract/requests/jobs.ts';
import type { ImportsView } from '@keen-larder/contract/imports.ts';
import type {
  FileComparison,
  PartitionDetail,
  SetComparison,
  TextComparison,
} from '@keen-larder/contract/comparing.ts';
import type { ErasingView } from '@keen-larder/contract/larder/erasing.ts';
import type { FindView, NameIndexView } from '@keen-larder/contract/larder/finding.ts';
import type { NameIndexChange } from '@keen-larder/contract/requests/larder/finding.ts';
import type { SealedDownload, ExportsView } from '@keen-larder/contract/larder/exports.ts';
import type { SealSetUp, SealView } from '@keen-larder/contract/larder/seal.ts';
import type { Passphrase, PassphraseChange } from '@keen-larder/contract/requests/larder/seal.ts';
import type {
  OffsiteCopy,
  OffsiteSetUp,
  OffsiteThingView,
  OffsiteView,
  OffsiteViews,
} from '@keen-larder/contract/larder/offsite.ts';
import type {
  OffsiteFetch,
  OffsiteLimits,
  OffsiteMove,
  OffsiteStart,
} from '@keen-larder/contract/requests/larder/offsite.ts';
import type { OrderRoom, OrderSchedule, OrderView, ScrubView } from '@keen-larder/contract/order.ts';
import type {
  DueChange,
  KeepRulesChange,
  OrderApply,
  OrderScheduleChange,
} from '@keen-larder/contract/requests/larder/order.ts';
import type { FolderView, InsideView, PreviewView } from '@keen-larder/contract/inside.ts';
import type { OperatorView, RecordView, SessionView } from '@keen-larder/contract/people.ts';
import type {
  OperatorChange,
  OperatorDraft,
  OwnPassphrase,
  SignIn,
} from '@keen-larder/contract/requests/people.ts';
import type { ImagingRequest, ImagingStart } from '@keen-larder/contract/requests/imaging.ts';
import type {
  ImportingAppsRequest,
  ImportingAppsStart,
  ImportingRequest,
  ImportingStart,
  ImportPassphrase,
} from '@keen-larder/contract/requests/imports.ts';
import type { ErasingStart, LockingRequest, LockingStart } from '@keen-larder/contract/requests/phones.ts';
import type {
  KeepingRecordsRequest,
  KeepingRecordsStart,
  PuttingRecordsRequest,
  PuttingRecordsStart,
} from '@keen-larder/contract/requests/records.ts';
import type { RestoringRequest, RestoringStart } from '@keen-larder/contract/requests/restoring.ts';
import type {
  EmptyBin,
  ExportRequest,
  FolderRequest,
  InsideRequest,
  SetChange,
  SomeSets,
  SomeSetsChange,
} from '@keen-larder/contract/requests/larder/sets.ts';
import type { RescueView } from '@keen-larder/contract/rescue.ts';
import type { HalfWrittenView, ProofView, RunLogLine, RunView } from '@keen-larder/contract/runs.ts';
import type { SetChanges, SetDetail, ShelfView, SomeSetsChanged } from '@keen-larder/contract/sets.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { Survey } from '@keen-larder/core/phone/survey.ts';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { appsApi } from './apps.ts';
import { ask, at, send } from './ask.ts';

export { ApiError, whenLockedOut } from './ask.ts';

/** What the program says of itself. */
export interface About {
  readonly practice: boolean;
  readonly isOpen: boolean;
  readonly version: string;
  readonly node: string;
  /** Of the catalogue that it writes. */
  readonly catalogue: number;
  /** Of shelves that it writes. */
  readonly shelf: number;
}

/** Everything the interface asks of the server. */
export const api = {
  ...appsApi,

  about: () => ask<About>('/about'),

  session: () => ask<SessionView>('/session'),
  signIn: (who: SignIn) => ask<SessionView>('/session', 'POST', who),
  signOut: () => ask<undefined>('/session', 'DELETE'),
  changeOwnPassphrase: (change: OwnPassphrase) => ask<undefined>('/session/passphrase', 'PUT', change),
  operators: () => ask<OperatorView[]>('/operators'),
  addOperator: (draft: OperatorDraft) => ask<OperatorView>('/operators', 'POST', draft),
  changeOperator: (id: number, change: OperatorChange) =>
    ask<OperatorView>(`/operators/${id}`, 'PATCH', change),
  removeOperator: (id: number) => ask<undefined>(`/operators/${id}`, 'DELETE'),
  record: (before?: number) => ask<RecordView>(before === undefined ? '/record' : `/record?before=${before}`),

  jobs: () => ask<JobView[]>('/jobs'),
  job: (id: string) => ask<JobDetail>(`/jobs/${at(id)}`),
  openJob: (draft: JobDraft) => ask<JobDetail>('/jobs', 'POST', draft),
  changeJob: (id: string, change: JobChange) => ask<JobDetail>(`/jobs/${at(id)}`, 'PATCH', change),
  shop: () => ask<Shop>('/shop'),
  changeShop: (shop: Shop) => ask<Shop>('/shop', 'PUT', shop),
  addJobFile: (id: string, file: File) =>
    send<JobDetail>(`/jobs/${at(id)}/files?${new URLSearchParams({ name: file.name })}`, file),
  removeJobFile: (id: string, file: string) => ask<JobDetail>(`/jobs/${at(id)}/files/${at(file)}`, 'DELETE'),
  noteJob: (id: string, text: string) => ask<JobDetail>(`/jobs/${at(id)}/notes`, 'POST', { text }),

  connections: () => ask<ConnectionsView>('/connections'),
  addAddress: (address: string) => ask<ConnectionsView>('/connections', 'POST', { address }),
  pair: (address: string, code: string) =>
    ask<ConnectionsView>('/connections/pairing', 'POST', { address, code }),
  connectWireless: (address: string) => ask<ConnectionsView>('/connections/wireless', 'POST', { address }),
  removeAddress: (address: string) => ask<ConnectionsView>(`/connections/${at(address)}`, 'DELETE'),

  phones: () => ask<PhoneView[]>('/phones'),
  partitions: (serial: string) => ask<PartitionView[]>(`/phones/${at(serial)}/partitions`),
  renamePhone: (serial: string, nickname: string) =>
    ask<PhoneView>(`/phones/${at(serial)}`, 'PATCH', { nickname }),
  compare: (serial: string, picked?: string[]) =>
    ask<RunView>(`/phones/${at(serial)}/comparing`, 'POST', picked ? { picked } : {}),
  compareWithSet: (serial: string, setId: string) =>
    ask<RunView>(`/phones/${at(serial)}/comparing`, 'POST', { setId }),
  restart: (serial: string, into: PhoneMode) =>
    ask<PhoneView>(`/phones/${at(serial)}/restart`, 'POST', { into }),
  imagingSheet: (serial: string, request: ImagingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/imaging-sheet`, 'POST', request, signal),
  startImaging: (serial: string, start: ImagingStart) =>
    ask<RunView>(`/phones/${at(serial)}/imaging`, 'POST', start),
  restoringSheet: (serial: string, request: RestoringRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/restoring-sheet`, 'POST', request, signal),
  startRestoring: (serial: string, start: RestoringStart) =>
    ask<RunView>(`/phones/${at(serial)}/restoring`, 'POST', start),
  lockingSheet: (serial: string, request: LockingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/locking-sheet`, 'POST', request, signal),
  startLocking: (serial: string, start: LockingStart) =>
    ask<RunView>(`/phones/${at(serial)}/locking`, 'POST', start),
  survey: (serial: string) => ask<Survey | undefined>(`/phones/${at(serial)}/survey`),
  makeSurvey: (serial: string) => ask<Survey>(`/phones/${at(serial)}/survey`, 'POST'),
  erasing: (serial: string) => ask<ErasingView>(`/phones/${at(serial)}/erasing`),
  startErasing: (serial: string, start: ErasingStart) =>
    ask<RunView>(`/phones/${at(serial)}/erasing`, 'POST', start),
  rescue: (serial: string) => ask<RescueView>(`/phones/${at(serial)}/rescue`),

  shelf: () => ask<ShelfView>('/shelf'),
  setChanges: (since: number | undefined) =>
    ask<SetChanges>(`/sets/changes${since === undefined ? '' : `?since=${since}`}`),
  set: (id: string) => ask<SetDetail>(`/sets/${at(id)}`),
  changeSet: (id: string, change: SetChange) => ask<SetDetail>(`/sets/${at(id)}`, 'PATCH', change),
  find: (text: string) => ask<FindView>(`/find?q=${at(text)}`),
  names: () => ask<NameIndexView>('/names'),
  setNames: (change: NameIndexChange) => ask<NameIndexView>('/names', 'PUT', change),
  offsite: () => ask<OffsiteViews>('/offsite'),
  setUpOffsite: (request: OffsiteStart) => ask<OffsiteSetUp>('/offsite', 'PUT', request),
  turnOffOffsite: (copy: OffsiteCopy) => ask<OffsiteView>(`/offsite/${copy}`, 'DELETE'),
  unlockOffsite: (copy: OffsiteCopy, request: Passphrase) =>
    ask<OffsiteView>(`/offsite/${copy}/unlocking`, 'POST', request),
  limitOffsite: (copy: OffsiteCopy, request: OffsiteLimits) =>
    ask<OffsiteView>(`/offsite/${copy}/limits`, 'PUT', request),
  copyOffsite: (copy: OffsiteCopy) => ask<RunView>(`/offsite/${copy}/copying`, 'POST', {}),
  offsiteElsewhere: (copy: OffsiteCopy) => ask<OffsiteThingView[]>(`/offsite/${copy}/elsewhere`),
  fetchOffsite: (copy: OffsiteCopy, request: OffsiteFetch) =>
    ask<RunView>(`/offsite/${copy}/fetching`, 'POST', request),
  moveOffsite: (copy: OffsiteCopy, request: OffsiteMove) =>
    ask<RunView>(`/offsite/${copy}/moving`, 'POST', request),
  giveUpOffsite: (copy: OffsiteCopy, id: string) =>
    ask<OffsiteView>(`/offsite/${copy}/alone/${at(id)}`, 'DELETE'),
  exports: () => ask<ExportsView>('/exports'),
  verifyExport: (id: string) => ask<RunView>(`/exports/${at(id)}/verifying`, 'POST', {}),
  removeExport: (id: string) => ask<ExportsView>(`/exports/${at(id)}`, 'DELETE'),
  seal: () => ask<SealView>('/seal'),
  sealLarder: (request: Passphrase) => ask<SealSetUp>('/seal', 'PUT', request),
  unlockLarder: (request: Passphrase) => ask<SealView>('/seal/unlocking', 'POST', request),
  changePassphrase: (request: PassphraseChange) => ask<SealView>('/seal/passphrase', 'PUT', request),
  takeSealOff: () => ask<SealView>('/seal', 'DELETE'),
  order: () => ask<OrderView>('/order'),
  scrub: () => ask<ScrubView>('/scrub'),
  orderRoom: () => ask<OrderRoom>('/order/room'),
  orderSchedule: () => ask<OrderSchedule>('/order/schedule'),
  changeSchedule: (change: OrderScheduleChange) => ask<OrderSchedule>('/order/schedule', 'PUT', change),
  changeRules: (change: KeepRulesChange) => ask<OrderView>('/order/rules', 'PUT', change),
  changeDue: (change: DueChange) => ask<ShelfView>('/order/due', 'PUT', change),
  applyOrder: (request: OrderApply) => ask<OrderView>('/order', 'POST', request),
  emptyBin: (request: EmptyBin) =>
    ask<{ removed: number; freedBytes: number }>('/bin/empty', 'POST', request),
  rebuild: () => ask<RunView>('/rebuilding', 'POST', {}),
  verifySome: (request: SomeSets) => ask<RunView>('/sets/verifying', 'POST', request),
  changeSome: (request: SomeSetsChange) => ask<SomeSetsChanged>('/sets/changing', 'POST', request),
  verify: (id: string) => ask<RunView>(`/sets/${at(id)}/verifying`, 'POST', {}),
  sealedDownload: (id: string, request: ExportRequest) =>
    ask<SealedDownload>(`/sets/${at(id)}/sealed-downloads`, 'POST', request),
  exportToFolder: (id: string, request: ExportRequest) =>
    ask<RunView>(`/sets/${at(id)}/exporting`, 'POST', request),

  inside: (id: string, partition: string) =>
    ask<InsideView>(`/sets/${at(id)}/images/${at(partition)}/inside`),
  files: (id: string, partition: string, place: FolderRequest) =>
    ask<FolderView>(`/sets/${at(id)}/images/${at(partition)}/files?${queryOf(place)}`),
  preview: (id: string, partition: string, place: InsideRequest) =>
    ask<PreviewView>(`/sets/${at(id)}/images/${at(partition)}/preview?${queryOf(place)}`),

  compareSets: (id: string, other: string) => ask<SetComparison>(`/sets/${at(id)}/against/${at(other)}`),
  comparePartition: (id: string, other: string, partition: string) =>
    ask<PartitionDetail>(`/sets/${at(id)}/against/${at(other)}/${at(partition)}`),
  compareFiles: (id: string, other: string, partition: string, part: string) =>
    ask<FileComparison>(
      `/sets/${at(id)}/against/${at(other)}/${at(partition)}/files${part === '' ? '' : `?${new URLSearchParams({ part })}`}`,
    ),
  compareApps: (id: string, other: string, partition: string) =>
    ask<AppDifference[]>(`/sets/${at(id)}/against/${at(other)}/${at(partition)}/apps`),
  compareText: (id: string, other: string, partition: string, place: InsideRequest) =>
    ask<TextComparison>(`/sets/${at(id)}/against/${at(other)}/${at(partition)}/text?${queryOf(place)}`),

  records: (serial: string) => ask<RecordsOnPhone[]>(`/phones/${at(serial)}/records`),
  keepingRecordsSheet: (serial: string, request: KeepingRecordsRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/keeping-records-sheet`, 'POST', request, signal),
  startKeepingRecords: (serial: string, start: KeepingRecordsStart) =>
    ask<RunView>(`/phones/${at(serial)}/keeping-records`, 'POST', start),
  puttingRecordsSheet: (serial: string, request: PuttingRecordsRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/putting-records-sheet`, 'POST', request, signal),
  startPuttingRecords: (serial: string, start: PuttingRecordsStart) =>
    ask<RunView>(`/phones/${at(serial)}/putting-records`, 'POST', start),

  importAppsSheet: (id: string, request: ImportingAppsRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/imports/${at(id)}/apps-sheet`, 'POST', request, signal),
  startImportingApps: (id: string, start: ImportingAppsStart) =>
    ask<RunView>(`/imports/${at(id)}/importing-apps`, 'POST', start),
  imports: () => ask<ImportsView>('/imports'),
  knownPartitions: (serial: string) => ask<string[]>(`/phones/${at(serial)}/known-partitions`),
  beginCopy: () => ask<{ id: string }>('/copies', 'POST', {}),
  endCopy: (id: string, name: string) =>
    ask<{ id: string }>(`/copies/${at(id)}/end?${new URLSearchParams({ name })}`, 'POST', {}),
  breakOffCopy: (id: string) => ask<undefined>(`/copies/${at(id)}`, 'DELETE'),
  discardImport: (id: string) => ask<undefined>(`/imports/${at(id)}`, 'DELETE'),
  unlockImport: (id: string, passphrase: ImportPassphrase) =>
    ask<undefined>(`/imports/${at(id)}/passphrase`, 'POST', passphrase),
  importSheet: (id: string, request: ImportingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/imports/${at(id)}/sheet`, 'POST', request, signal),
  startImporting: (id: string, start: ImportingStart) =>
    ask<RunView>(`/imports/${at(id)}/importing`, 'POST', start),

  runs: () => ask<RunView[]>('/runs'),
  clearRuns: (days: number) => ask<{ cleared: number }>('/runs', 'DELETE', { days }),
  halfWritten: () => ask<HalfWrittenView[]>('/half-written'),
  runLog: (id: string) => ask<RunLogLine[]>(`/runs/${at(id)}/log`),
  proof: (id: string) => ask<ProofView>(`/runs/${at(id)}/proof`),
  pause: (id: string) => ask<RunView>(`/runs/${at(id)}/pause`, 'POST', {}),
  continue: (id: string) => ask<RunView>(`/runs/${at(id)}/continue`, 'POST', {}),
  resume: (id: string) => ask<RunView>(`/runs/${at(id)}/resume`, 'POST', {}),
  cancel: (id: string) => ask<RunView>(`/runs/${at(id)}/cancel`, 'POST', {}),

  practice: () => ask<PracticeView>('/practice'),
  act: (serial: string, action: PracticeAction) =>
    ask<PracticePhone>(`/practice/${at(serial)}`, 'POST', action),
  installPackage: (serial: string, file: File) =>
    send<PracticePhone>(`/practice/${at(serial)}/package`, file),
};
