import { carriedQuery } from './addresses.ts';
import type { WaitingProgram } from '@keen-larder/core/runsheet/apps/waiting.ts';
import type { Purpose } from '@keen-larder/core/apps/purposes/purposes.ts';
import type { Tracker } from '@keen-larder/core/apps/trackers.ts';
import type {
  AppCode,
  AppInside,
  CarryAlongOffer,
  AppView,
  CopyView,
  CopyRoutine,
  LeftoverView,
  MovingView,
  RecordsView,
  TurnedOffView,
} from '@keen-larder/contract/copies.ts';
import type {
  ChangingAppsRequest,
  ChangingAppsStart,
  CopyRoutineChange,
  LeftoversRequest,
  LeftoversStart,
  WaitingRequest,
  WaitingStart,
  CopyChange,
  CopyingRequest,
  CopyingStart,
  MovingRequest,
  MovingStart,
  PuttingAppsRequest,
  PuttingAppsStart,
  VerifyingCopies,
} from '@keen-larder/contract/requests/apps.ts';
import type { PhoneUser } from '@keen-larder/core/phone/users/users.ts';
import type { PuttingSharedRequest, PuttingSharedStart } from '@keen-larder/contract/requests/shared.ts';
import type { KeptShared } from '@keen-larder/contract/sets.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { MovingSheet, RunSheet, SharedFolder } from '@keen-larder/core/runsheet/run-sheets.ts';
import { ask, at } from './ask.ts';

/** What the interface asks of the server about apps, about copies of them and of records, and about shared storage. */
export const appsApi = {
  /** @param user 0 for the phone's owner */
  apps: (serial: string, user: number) =>
    ask<AppView[]>(`/phones/${at(serial)}/apps${user === 0 ? '' : `?user=${user}`}`),
  users: (serial: string) => ask<PhoneUser[]>(`/phones/${at(serial)}/users`),
  startUser: (serial: string, user: number) =>
    ask<PhoneUser[]>(`/phones/${at(serial)}/users/${user}/start`, 'POST'),
  setAside: (packages: string[], aside: boolean) => ask<undefined>('/set-aside', 'POST', { packages, aside }),
  trackers: () => ask<Tracker[]>('/trackers'),
  changeTrackers: (trackers: Tracker[]) => ask<Tracker[]>('/trackers', 'PUT', { trackers }),
  keptShared: () => ask<KeptShared[]>('/shared-storage'),
  sharedFolders: (setId: string) => ask<SharedFolder[]>(`/sets/${at(setId)}/shared-folders`),
  puttingSharedSheet: (serial: string, request: PuttingSharedRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/putting-shared-sheet`, 'POST', request, signal),
  startPuttingShared: (serial: string, start: PuttingSharedStart) =>
    ask<RunView>(`/phones/${at(serial)}/putting-shared`, 'POST', start),
  purposes: () => ask<Purpose[]>('/purposes'),
  changePurposes: (purposes: Purpose[]) => ask<Purpose[]>('/purposes', 'PUT', { purposes }),
  codeOnPhone: (serial: string, name: string, user: number) =>
    ask<AppCode>(`/phones/${at(serial)}/apps/${at(name)}/code?user=${user}`),
  codeOfCopy: (id: string) => ask<AppCode>(`/app-copies/${at(id)}/code`),
  recordCopies: () => ask<RecordsView[]>('/record-copies'),
  changeRecords: (id: string, change: CopyChange) =>
    ask<RecordsView>(`/record-copies/${at(id)}`, 'PATCH', change),
  carryAlongSheet: (apps: readonly string[], records: readonly string[]) =>
    ask<CarryAlongOffer>(`/carry-along?${carriedQuery(apps, records)}`),
  verifyCopies: (picked: VerifyingCopies) => ask<RunView>('/verifying-copies', 'POST', picked),
  appCopies: () => ask<CopyView[]>('/app-copies'),
  changeCopy: (id: string, change: CopyChange) => ask<CopyView>(`/app-copies/${at(id)}`, 'PATCH', change),
  copyingSheet: (serial: string, request: CopyingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/copying-sheet`, 'POST', request, signal),
  startCopying: (serial: string, start: CopyingStart) =>
    ask<RunView>(`/phones/${at(serial)}/copying`, 'POST', start),
  puttingAppsSheet: (serial: string, request: PuttingAppsRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/putting-apps-sheet`, 'POST', request, signal),
  startPuttingApps: (serial: string, start: PuttingAppsStart) =>
    ask<RunView>(`/phones/${at(serial)}/putting-apps`, 'POST', start),

  moving: (serial: string, to: string) => ask<MovingView>(`/phones/${at(serial)}/moving/${at(to)}`),
  movingSheet: (serial: string, request: MovingRequest, signal: AbortSignal) =>
    ask<MovingSheet>(`/phones/${at(serial)}/moving-sheet`, 'POST', request, signal),
  startMoving: (serial: string, start: MovingStart) =>
    ask<RunView>(`/phones/${at(serial)}/moving`, 'POST', start),

  turnedOffElsewhere: (serial: string) => ask<TurnedOffView[]>(`/phones/${at(serial)}/turned-off-elsewhere`),
  copyRoutine: (serial: string) => ask<CopyRoutine>(`/phones/${at(serial)}/copy-routine`),
  turnCopyRoutine: (serial: string, change: CopyRoutineChange) =>
    ask<CopyRoutine>(`/phones/${at(serial)}/copy-routine`, 'PUT', change),
  waitingPrograms: (serial: string) => ask<WaitingProgram[]>(`/phones/${at(serial)}/waiting-programs`),
  waitingSheet: (serial: string, request: WaitingRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/installing-waiting-sheet`, 'POST', request, signal),
  startInstallingWaiting: (serial: string, start: WaitingStart) =>
    ask<RunView>(`/phones/${at(serial)}/installing-waiting`, 'POST', start),
  leftovers: (serial: string) => ask<LeftoverView[]>(`/phones/${at(serial)}/leftovers`),
  leftoversSheet: (serial: string, request: LeftoversRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/removing-leftovers-sheet`, 'POST', request, signal),
  startRemovingLeftovers: (serial: string, start: LeftoversStart) =>
    ask<RunView>(`/phones/${at(serial)}/removing-leftovers`, 'POST', start),
  changingAppsSheet: (serial: string, request: ChangingAppsRequest, signal: AbortSignal) =>
    ask<RunSheet>(`/phones/${at(serial)}/changing-apps-sheet`, 'POST', request, signal),
  startChangingApps: (serial: string, start: ChangingAppsStart) =>
    ask<RunView>(`/phones/${at(serial)}/changing-apps`, 'POST', start),
  appsInRecovery: (serial: string) => ask<AppInside[]>(`/phones/${at(serial)}/apps-in-recovery`),
  takeInRecovery: (serial: string, packages: string[]) =>
    ask<RunView>(`/phones/${at(serial)}/taking-in-recovery`, 'POST', { packages }),
  appsInside: (id: string, partition: string) =>
    ask<AppInside[]>(`/sets/${at(id)}/images/${at(partition)}/apps`),
  takeOut: (id: string, partition: string, packages: string[]) =>
    ask<RunView>(`/sets/${at(id)}/images/${at(partition)}/taking-out`, 'POST', { packages }),
};
