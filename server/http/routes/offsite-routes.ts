import { Router } from 'express';
import { offsiteCopies, type OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import {
  OffsiteFetch,
  OffsiteLimits,
  OffsiteMove,
  OffsiteStart,
} from '@keen-larder/contract/requests/larder/offsite.ts';
import { Passphrase, PassphraseChange } from '@keen-larder/contract/requests/larder/seal.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { Problem } from '../../failures.ts';
import { startCopyingOffSite, startFetching } from '../../runs/files/copying-off-site.ts';
import { startMoving } from '../../runs/files/moving.ts';
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

/** The copies of the larder, in a bucket and on another disk. */
export function offsiteRoutes(app: KeenLarder): Router {
  const { offsite, exports } = app;
  const routes = Router();
  /** @throws Problem 404 */
  const copyOf = ({ copy }: { readonly copy: string }): OffsiteCopy => {
    const found = offsiteCopies.find((each) => each === copy);
    if (!found) throw new Problem(404, 'A copy is in a bucket or on another disk: bucket, or disk.');
    return found;
  };

  routes.get('/offsite', async (_request, response) => {
    await Promise.all(offsite.all.map((each) => each.look()));
    response.json(offsite.views());
  });

  routes.put('/offsite', async (request, response) => {
    const start = valid(OffsiteStart, request.body);
    if (start.folder !== undefined) await exports.requireOtherDisk(start.folder);
    response.json(await offsite.setUp(start));
  });

  routes.delete('/offsite/:copy', ({ params }, response) => {
    response.json(offsite.of(copyOf(params)).turnOff());
  });

  routes.post('/offsite/:copy/unlocking', async ({ params, body }, response) => {
    response.json(await offsite.of(copyOf(params)).unlock(valid(Passphrase, body).passphrase));
  });

  routes.put('/offsite/:copy/limits', async ({ params, body }, response) => {
    response.json(await offsite.of(copyOf(params)).setLimits(valid(OffsiteLimits, body)));
  });

  routes.post('/offsite/:copy/copying', async ({ params }, response) => {
    response.status(202).json(await startCopyingOffSite(app, copyOf(params)));
  });

  routes.get('/offsite/:copy/elsewhere', async ({ params }, response) => {
    response.json(await offsite.of(copyOf(params)).elsewhere());
  });

  routes.post('/offsite/:copy/fetching', async ({ params, body }, response) => {
    response.status(202).json(await startFetching(app, copyOf(params), valid(OffsiteFetch, body).things));
  });

  routes.post('/offsite/:copy/moving', async ({ params, body }, response) => {
    response.status(202).json(await startMoving(app, copyOf(params), valid(OffsiteMove, body).sets));
  });

  routes.delete('/offsite/:copy/alone/:id', ({ params }, response) => {
    const copy = offsite.of(copyOf(params));
    copy.giveUp(params.id);
    response.json(copy.view());
  });

  return routes;
}
