import { Router } from 'express';
import type { KeenLarder } from '../keen-larder.ts';
import { resumeRun } from '../runs/resuming.ts';

/** Runs, live and past. */
export function runRoutes(app: KeenLarder): Router {
  const { engine } = app;
  const routes = Router();
  routes.get('/runs', (_request, response) => void response.json(engine.list()));
  routes.get('/runs/:id', (request, response) => void response.json(engine.view(request.params.id)));
  routes.get('/runs/:id/log', (request, response) => void response.json(engine.logOf(request.params.id)));
  routes.post(
    '/runs/:id/cancel',
    (request, response) => void response.json(engine.cancel(request.params.id)),
  );
  routes.post('/runs/:id/pause', (request, response) => void response.json(engine.pause(request.params.id)));
  routes.post(
    '/runs/:id/continue',
    (request, response) => void response.json(engine.continue(request.params.id)),
  );
  routes.post('/runs/:id/resume', async (request, response) => {
    response.status(202).json(await resumeRun(app, request.params.id));
  });
  return routes;
}
