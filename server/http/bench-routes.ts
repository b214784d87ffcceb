import { Router } from 'express';
import {
  AddressRequest,
  CompareRequest,
  ImagingRequest,
  ImagingStart,
  PhoneChange,
  RestartRequest,
} from '@keen-larder/contract/requests.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { Problem } from '../problem.ts';
import { startComparing } from '../runs/comparing.ts';
import { startImaging } from '../runs/imaging.ts';
import { halfWritten } from '../runs/writing-journal.ts';
import { valid } from './validate.ts';

/** Phones: what they are, their partitions, their restarts, and imaging them. */
export function benchRoutes(app: KeenLarder): Router {
  const { bench, engine, sheets } = app;
  const routes = Router();

  routes.get('/connections', (_request, response) => void response.json(bench.ways.view()));

  routes.post('/connections', (request, response) => {
    response.status(201).json(bench.ways.add(valid(AddressRequest, request.body).address.trim()));
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

  routes.post('/phones/:serial/comparing', async (request, response) => {
    response
      .status(202)
      .json(await startComparing(app, request.params.serial, valid(CompareRequest, request.body)));
  });

  routes.post('/phones/:serial/imaging-sheet', async (request, response) => {
    response.json(await sheets.imaging(request.params.serial, valid(ImagingRequest, request.body)));
  });

  routes.post('/phones/:serial/imaging', async (request, response) => {
    response
      .status(202)
      .json(await startImaging(app, request.params.serial, valid(ImagingStart, request.body)));
  });

  return routes;
}
