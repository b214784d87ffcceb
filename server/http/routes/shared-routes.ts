import { Router } from 'express';
import { PuttingSharedRequest, PuttingSharedStart } from '@keen-larder/contract/requests/shared.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { keptShared, sharedFolders } from '../../runs/shared/kept-shared.ts';
import { puttingShared, startPuttingShared } from '../../runs/shared/putting-shared.ts';
import { phoneRunRoutes } from './phone-run-routes.ts';

/** Shared storage that was kept: what there is of it, and putting it onto phones whose system runs. */
export function sharedRoutes(app: KeenLarder): Router {
  const routes = Router();

  routes.get('/shared-storage', (_request, response) => void response.json(keptShared(app)));

  routes.get('/sets/:id/shared-folders', async (request, response) => {
    response.json(await sharedFolders(app.inside, request.params.id));
  });

  phoneRunRoutes(
    routes,
    'putting-shared',
    [PuttingSharedRequest, (serial, asked) => puttingShared(app, serial, asked)],
    [PuttingSharedStart, (serial, start) => startPuttingShared(app, serial, start)],
  );
  return routes;
}
