import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Router } from 'express';
import {
  CarryAlongRequest,
  ChangingAppsRequest,
  ChangingAppsStart,
  CopyChange,
  CopyRoutineChange,
  CopyingRequest,
  CopyingStart,
  LeftoversRequest,
  LeftoversStart,
  MovingRequest,
  MovingStart,
  PuttingAppsRequest,
  PuttingAppsStart,
  SetAsideRequest,
  TakingOutStart,
  VerifyingCopies,
  WaitingRequest,
  WaitingStart,
} from '@keen-larder/contract/requests/apps.ts';
import { carried, carryAlongZip, carrySheet, type ToCarry } from '../../larder/carry/carry-along.ts';
import { platformBackup, platformBackupStream } from '../../larder/carry/platform-backup.ts';
import { copyTar } from '../../larder/copy-export.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startChangingApps } from '../../runs/apps/changing-apps.ts';
import { startCopying } from '../../runs/apps/copying.ts';
import { startRemovingLeftovers } from '../../runs/apps/leftovers/removing.ts';
import { startInstallingWaiting } from '../../runs/apps/installing-waiting.ts';
import { startMoving } from '../../runs/apps/moving.ts';
import {
  appsInRecovery,
  appsInside,
  startTakingInRecovery,
  startTakingOut,
} from '../../runs/apps/taking-out.ts';
import { startVerifyingCopies } from '../../runs/files/verifying.ts';
import { startPuttingApps } from '../../runs/apps/putting-apps.ts';
import { valid } from '../validate.ts';
import { phoneRunRoutes } from './phone-run-routes.ts';

/** Which copies go into one archive. */
function toCarry(query: unknown): ToCarry {
  const { copies, records = '' } = valid(CarryAlongRequest, query);
  return { apps: copies.split(','), records: records === '' ? [] : records.split(',') };
}

/** Copies of apps: taking them, keeping them, putting them back. */
export function copyRoutes(app: KeenLarder): Router {
  const { copies } = app.larder;
  const { appSheets } = app;
  const routes = Router();

  routes.get('/app-copies', (_request, response) => void response.json(copies.list()));

  routes.get('/app-copies/:id', (request, response) => void response.json(copies.one(request.params.id)));

  routes.patch('/app-copies/:id', async (request, response) => {
    response.json(await copies.change(request.params.id, valid(CopyChange, request.body)));
  });

  routes.get('/app-copies/:id/export', async (request, response) => {
    const copy = copies.one(request.params.id);
    response.attachment(`${copy.app.package}-${copy.app.versionCode}.tar`).type('application/octet-stream');
    // An error breaks the answer off, so that the browser does not take half of it for whole.
    await app.larder.bin.whileRead(copy.id, () =>
      pipeline(Readable.from(copyTar(app.larder, copy)), response),
    );
  });

  routes.get('/carry-along', (request, response) => {
    response.json(carrySheet(app.larder, toCarry(request.query)));
  });

  routes.get('/carry-along/archive', async (request, response) => {
    const picked = toCarry(request.query);
    const carrying = carried(app.larder, picked);
    response.attachment(carrying.name).type('application/zip');
    const whole = () => pipeline(carryAlongZip(app.larder, carrying), response);
    const ids = [...picked.apps, ...picked.records];
    await ids.reduce((read, id) => () => app.larder.bin.whileRead(id, read), whole)();
  });

  routes.get('/platform-backup', async (request, response) => {
    const ids = valid(CarryAlongRequest, request.query).copies.split(',');
    const backup = await platformBackup(app.larder, ids);
    response.attachment(backup.name).type('application/octet-stream');
    const whole = () => pipeline(platformBackupStream(backup), response);
    await ids.reduce((read, id) => () => app.larder.bin.whileRead(id, read), whole)();
  });

  routes.post('/verifying-copies', (request, response) => {
    response.status(202).json(startVerifyingCopies(app, valid(VerifyingCopies, request.body)));
  });

  routes.post('/set-aside', (request, response) => {
    const { packages, aside } = valid(SetAsideRequest, request.body);
    copies.setAside(packages, aside);
    response.status(204).end();
  });

  routes.get('/phones/:serial/apps-in-recovery', async (request, response) => {
    response.json(await appsInRecovery(app, request.params.serial));
  });

  routes.post('/phones/:serial/taking-in-recovery', async (request, response) => {
    const start = valid(TakingOutStart, request.body);
    response.status(202).json(await startTakingInRecovery(app, request.params.serial, start));
  });

  routes.get('/sets/:id/images/:partition/apps', async (request, response) => {
    response.json(await appsInside(app, request.params.id, request.params.partition));
  });

  routes.post('/sets/:id/images/:partition/taking-out', async (request, response) => {
    const { id, partition } = request.params;
    response.status(202).json(await startTakingOut(app, id, partition, valid(TakingOutStart, request.body)));
  });

  routes.get('/phones/:serial/moving/:to', async (request, response) => {
    response.json(await appSheets.movingView(request.params.serial, request.params.to));
  });

  phoneRunRoutes(
    routes,
    'copying',
    [CopyingRequest, (serial, asked) => appSheets.copying(serial, asked)],
    [CopyingStart, (serial, start) => startCopying(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'putting-apps',
    [PuttingAppsRequest, (serial, asked) => appSheets.putting(serial, asked)],
    [PuttingAppsStart, (serial, start) => startPuttingApps(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'changing-apps',
    [ChangingAppsRequest, (serial, asked) => appSheets.changing(serial, asked)],
    [ChangingAppsStart, (serial, start) => startChangingApps(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'moving',
    [MovingRequest, (serial, asked) => appSheets.moving(serial, asked)],
    [MovingStart, (serial, start) => startMoving(app, serial, start)],
  );

  routes.get('/phones/:serial/copy-routine', (request, response) => {
    response.json(app.copyRoutines.view(app.bench.view(request.params.serial).serial));
  });
  routes.put('/phones/:serial/copy-routine', (request, response) => {
    const { serial } = app.bench.view(request.params.serial);
    response.json(app.copyRoutines.turn(serial, valid(CopyRoutineChange, request.body).isOn));
  });
  routes.get('/phones/:serial/leftovers', async (request, response) => {
    response.json(await appSheets.leftoverViews(request.params.serial));
  });
  routes.get('/phones/:serial/waiting-programs', async (request, response) => {
    response.json(await appSheets.waitingPrograms(request.params.serial));
  });
  phoneRunRoutes(
    routes,
    'installing-waiting',
    [WaitingRequest, (serial, asked) => appSheets.waiting(serial, asked)],
    [WaitingStart, (serial, start) => startInstallingWaiting(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'removing-leftovers',
    [LeftoversRequest, (serial, asked) => appSheets.leftovers(serial, asked)],
    [LeftoversStart, (serial, start) => startRemovingLeftovers(app, serial, start)],
  );

  return routes;
}
