import { Router } from 'express';
import { OffsiteFetch, OffsiteLimits, OffsiteStart } from '@keen-larder/contract/requests/larder/offsite.ts';
import { Passphrase, PassphraseChange } from '@keen-larder/contract/requests/larder/seal.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { startCopyingOffSite, startFetching } from '../../runs/files/copying-off-site.ts';
import { valid } from '../validate.ts';

/** The seal of the larder. */
export function sealRoutes({ resealing }: KeenLarder): Router {
  const routes = Router();

  routes.get('/seal', (_request, response) => void response.json(resealing.view()));

  routes.put('/seal', async (request, response) => {
    const recoveryKey = await resealing.seal(valid(Passphrase, request.body).passphrase);
    response.json({ view: resealing.view(), recoveryKey });
  });

  routes.post('/seal/unlocking', async (request, response) => {
    response.json(await resealing.unlock(valid(Passphrase, request.body).passphrase));
  });

  routes.put('/seal/passphrase', async (request, response) => {
    const { before, passphrase } = valid(PassphraseChange, request.body);
    response.json(await resealing.changePassphrase(before, passphrase));
  });

  routes.delete('/seal', async (_request, response) => void response.json(await resealing.takeOff()));

  return routes;
}

/** The copy of the larder in a bucket, or on another disk. */
export function offsiteRoutes(app: KeenLarder): Router {
  const { offsite, exports } = app;
  const routes = Router();

  routes.get('/offsite', async (_request, response) => {
    await offsite.look();
    response.json(offsite.view());
  });

  routes.put('/offsite', async (request, response) => {
    const start = valid(OffsiteStart, request.body);
    if (start.folder !== undefined) await exports.requireOtherDisk(start.folder);
    response.json(await offsite.setUp(start));
  });

  routes.delete('/offsite', (_request, response) => void response.json(offsite.turnOff()));

  routes.post('/offsite/unlocking', async (request, response) => {
    response.json(await offsite.unlock(valid(Passphrase, request.body).passphrase));
  });

  routes.put('/offsite/limits', async (request, response) => {
    response.json(await offsite.setLimits(valid(OffsiteLimits, request.body)));
  });

  routes.post('/offsite/copying', async (_request, response) => {
    response.status(202).json(await startCopyingOffSite(app));
  });

  routes.get('/offsite/elsewhere', async (_request, response) => {
    response.json(await offsite.elsewhere());
  });

  routes.post('/offsite/fetching', async (request, response) => {
    response.status(202).json(await startFetching(app, valid(OffsiteFetch, request.body).things));
  });

  return routes;
}
