import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Router } from 'express';
import { CopyChange } from '@keen-larder/contract/requests/apps.ts';
import {
  KeepingRecordsRequest,
  KeepingRecordsStart,
  PuttingRecordsRequest,
  PuttingRecordsStart,
} from '@keen-larder/contract/requests/records.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startKeepingRecords } from '../../runs/records/keeping-records.ts';
import { startPuttingRecords } from '../../runs/records/putting-records.ts';
import { recordsOnPhone } from '../../runs/records/records-on-phone.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { valid } from '../validate.ts';
import { phoneRunRoutes } from './phone-run-routes.ts';

/** Personal records: what a phone has, keeping them, putting them back. */
export function recordRoutes(app: KeenLarder): Router {
  const { records, shelf } = app.larder;
  const { recordSheets } = app;
  const routes = Router();

  routes.get('/phones/:serial/records', async (request, response) => {
    response.json(await recordsOnPhone(app, request.params.serial));
  });

  routes.get('/record-copies', (_request, response) => void response.json(records.list()));

  routes.patch('/record-copies/:id', async (request, response) => {
    response.json(await records.change(request.params.id, valid(CopyChange, request.body)));
  });

  // A part as it was kept: a readable form, or a raw file, which may hold secrets and is only ever asked for.
  routes.get('/record-copies/:id/parts/*name', async (request, response) => {
    const name = request.params.name.join('/');
    const part = records.part(request.params.id, name);
    response.attachment(name.split('/').at(-1)).set('content-length', String(part.bytes));
    await pipeline(Readable.from(readImage(shelf, part)), response);
  });

  phoneRunRoutes(
    routes,
    'keeping-records',
    [KeepingRecordsRequest, (serial, asked) => recordSheets.keeping(serial, asked)],
    [KeepingRecordsStart, (serial, start) => startKeepingRecords(app, serial, start)],
  );
  phoneRunRoutes(
    routes,
    'putting-records',
    [PuttingRecordsRequest, (serial, asked) => recordSheets.putting(serial, asked)],
    [PuttingRecordsStart, (serial, start) => startPuttingRecords(app, serial, start)],
  );

  return routes;
}
