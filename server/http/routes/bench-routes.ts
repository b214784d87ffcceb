import { Router } from 'express';
import { CompareRequest, ImagingRequest, ImagingStart } from '@keen-larder/contract/requests/imaging.ts';
import {
  AddressRequest,
  ErasingStart,
  LockingRequest,
  LockingStart,
  PairingRequest,
  PhoneChange,
  RestartRequest,
} from '@keen-larder/contract/requests/phones.ts';
import { RestoringRequest, RestoringStart } from '@keen-larder/contract/requests/restoring.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startErasing } from '../../runs/files/erasing.ts';
import { startComparing } from '../../runs/imaging/comparing.ts';
import { startComparingSet } from '../../runs/imaging/comparing-set.ts';
import { startImaging } from '../../runs/imaging/imaging.ts';
import { startLocking } from '../../runs/restoring/locking.ts';
import { startRestoring } from '../../runs/restoring/restoring.ts';
import { halfWritten } from '../../runs/restoring/writing-journal.ts';
import { startUser, usersOf } from '../../bench/phone-users.ts';
import { userIn, valid } from '../validate.ts';
import { Problem } from '../../failures.ts';
import { phoneRunRoutes } from './phone-run-routes.ts';

/** Phones: what they are, their partitions, their restarts, imaging them and putting back onto them. */
export function benchRoutes(app: KeenLarder): Router {
  const { bench, engine, imagingSheets, restoringSheets } = app;
  const routes = Router();

  routes.get('/connections', (_request, response) => void response.json(bench.ways.view()));

  routes.post('/connections', (request, response) => {
    response.status(201).json(bench.ways.add(valid(AddressRequest, request.body).address.trim()));
  });

  routes.post('/connections/pairing', async (request, response) => {
    const { address, code } = valid(PairingRequest, request.body);
    response.json(await bench.ways.pair(address.trim(), code));
  });

  routes.post('/connections/wireless', async (request, response) => {
    response.json(await bench.ways.connectThrough(valid(AddressRequest, request.body).address.trim()));
  });

  routes.delete('/connections/:address', (request, response) => {
    response.json(bench.ways.remove(request.params.address));
  });

  routes.get('/phones', (_request, response) => void response.json(bench.list()));

  routes.get('/phones/:serial', (request, response) => void response.json(bench.view(request.params.serial)));

  routes.patch('/phones/:serial', (request, response) => {
    const { nickname } = valid(PhoneChange, request.body);
    response.json(bench.rename(request.params.serial, nickname.trim()));
  });

  routes.get('/phones/:serial/partitions', async (request, response) => {
    const { serial } = request.params;
    const half = halfWritten(app.unfinished, serial);
    const views = await bench.partitionViews(serial);
    response.json(views.map((view) => ({ ...view, halfWritten: half.get(view.name) })));
  });

  routes.post('/phones/:serial/restart', async (request, response) => {
    const { serial } = request.params;
    const { into } = valid(RestartRequest, request.body);
    if (engine.runOf(serial))
      throw new Problem(409, 'A run is under way on this phone. Wait for its end or cancel it.');
    await bench.restart(serial, into);
    response.status(202).json(bench.view(serial));
  });

  routes.get('/phones/:serial/survey', (request, response) => {
    const survey = bench.survey(request.params.serial);
    if (survey) response.json(survey);
    else response.status(204).end();
  });

  routes.post('/phones/:serial/survey', async (request, response) => {
    response.json(await bench.makeSurvey(request.params.serial));
  });

  routes.post('/phones/:serial/comparing', async (request, response) => {
    const { setId, ...some } = valid(CompareRequest, request.body);
    const { serial } = request.params;
    response
      .status(202)
      .json(await (setId ? startComparingSet(app, serial, setId) : startComparing(app, serial, some)));
  });

  routes.get('/phones/:serial/rescue', async (request, response) => {
    response.json(await app.rescue.view(request.params.serial));
  });

  routes.get('/phones/:serial/apps', async (request, response) => {
    response.json(await app.appSheets.views(request.params.serial, userIn(request.query['user'])));
  });

  routes.get('/phones/:serial/users', async (request, response) => {
    response.json(await usersOf(bench, request.params.serial));
  });

  routes.post('/phones/:serial/users/:user/start', async (request, response) => {
    const { serial, user } = request.params;
    response.json(await startUser(bench, serial, userIn(user)));
  });

  routes.get('/phones/:serial/turned-off-elsewhere', (request, response) => {
    response.json(app.appSheets.turnedOffElsewhere(request.params.serial));
  });

  routes.get('/phones/:serial/apps/icon', async (request, response) => {
    const path = programPath(request.query['path']);
    const icon = await bench.apps(request.params.serial).icon({ paths: [path] });
    const type = icon && pictureType(icon);
    if (!type) throw new Problem(404, 'This app has no picture.');
    response.set('cache-control', 'private, max-age=3600').type(type).send(Buffer.from(icon));
  });

  phoneRunRoutes(
    routes,
    'imaging',
    [ImagingRequest, (serial, asked) => imagingSheets.imaging(serial, asked)],
    [ImagingStart, (serial, start) => startImaging(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'restoring',
    [RestoringRequest, (serial, asked) => restoringSheets.restoring(serial, asked)],
    [RestoringStart, (serial, start) => startRestoring(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'locking',
    [LockingRequest, (serial, { lock }) => restoringSheets.locking(serial, lock)],
    [LockingStart, (serial, start) => startLocking(app, serial, start)],
  );

  routes.get('/phones/:serial/erasing', async (request, response) => {
    response.json(await app.erasing.view(request.params.serial));
  });

  routes.post('/phones/:serial/erasing', async (request, response) => {
    const { armedWith } = valid(ErasingStart, request.body);
    response.status(202).json(await startErasing(app, request.params.serial, armedWith));
  });

  return routes;
}

/** The path of a program on a phone. @throws Problem 400 */
function programPath(value: unknown): string {
  if (typeof value !== 'string' || !/^\/[^\0]{1,500}\.apk$/.test(value)) {
    throw new Problem(400, 'The address names no program.');
  }
  return value;
}

/** By their first bytes (PNG, W3C; JPEG, ITU-T T.81; WebP, RFC 9649): what an app calls a picture may be anything. */
function pictureType(bytes: Uint8Array): string | undefined {
  const starts = (at: number, ...mark: number[]) => mark.every((byte, i) => bytes[at + i] === byte);
  if (starts(0, 0x89, 0x50, 0x4e, 0x47)) return 'image/png';
  if (starts(0, 0xff, 0xd8, 0xff)) return 'image/jpeg';
  if (starts(0, 0x52, 0x49, 0x46, 0x46) && starts(8, 0x57, 0x45, 0x42, 0x50)) return 'image/webp';
  return undefined;
}
