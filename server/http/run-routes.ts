import { Router } from 'express';
import type { KeenLarder } from '../keen-larder.ts';

/** Runs, live and past. */
export function runRoutes({ engine }: KeenLarder): Router {
  const routes = Router();
  routes.get('/runs', (_request, response) => void response.json(engine.list()));
  routes.get('/runs/:id', (request, response) => void response.json(engine.view(request.params.id)));
  routes.get('/runs/:id/log', (request, response) => void response.json(engine.logOf(request.params.id)));
  routes.post(
    '/runs/:id/cancel',
    (request, response) => void response.json(engine.cancel(request.params.id)),
  );
  return routes;
}
