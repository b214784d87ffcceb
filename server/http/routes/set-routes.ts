import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { Router, type Response } from 'express';
import {
  ChangesRequest,
  EmptyBin,
  ExportRequest,
  SetChange,
  SomeSets,
  SomeSetsChange,
} from '@keen-larder/contract/requests/larder/sets.ts';
import { FindRequest, NameIndexChange } from '@keen-larder/contract/requests/larder/finding.ts';
import {
  DueChange,
  KeepRulesChange,
  OrderApply,
  OrderScheduleChange,
} from '@keen-larder/contract/requests/larder/order.ts';
import type { SealedDownload } from '@keen-larder/contract/larder/exports.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { packingSuffix } from '@keen-larder/core/larder/export-plan.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { changeSome } from '../../larder/upkeep/some-sets.ts';
import { plainFileName } from '../../larder/set-sums.ts';
import { exportTar } from '../../larder/export.ts';
import { SealedDownloads } from '../../larder/exports/sealed-downloads.ts';
import { ageSealed, ageSuffix } from '../../sealing/age.ts';
import { exportOptions, startExporting, startVerifyingExport } from '../../runs/files/exporting.ts';
import { startRebuilding } from '../../runs/files/rebuilding.ts';
import { startVerifying } from '../../runs/files/verifying.ts';
import { readImage } from '../../shelf/image-reader.ts';
import { Problem } from '../../failures.ts';
import { valid } from '../validate.ts';

/** Sets: their labels and contents, finding them, keeping them in order, verifying and exporting. */
export function setRoutes(app: KeenLarder): Router {
  const { larder } = app;
  const routes = Router();
  const sealed = new SealedDownloads<ExportRequest>();

  const download = async (set: SetDetail, wanted: ExportRequest, response: Response): Promise<void> => {
    const { options, picked, seal } = exportOptions(set, wanted);
    const name = `${fileNameOf(set.label)}.tar${packingSuffix[options.packing]}${seal ? ageSuffix : ''}`;
    response.attachment(name).type('application/octet-stream');
    const tar = exportTar(larder, set, options, picked);
    // An error breaks the answer off, so that the browser does not take half of it for whole.
    await larder.bin.whileRead(set.id, () =>
      pipeline(Readable.from(seal ? ageSealed(seal, tar) : tar), response),
    );
  };

  const shelf = async () => ({ ...(await larder.shelfView()), dueDays: app.settings.all().dueDays });

  routes.get('/shelf', async (_request, response) => void response.json(await shelf()));

  routes.put('/order/due', async (request, response) => {
    app.settings.save('dueDays', valid(DueChange, request.body).days);
    larder.changed();
    response.json(await shelf());
  });

  routes.get('/sets', (_request, response) => void response.json(larder.list()));

  routes.get('/sets/changes', (request, response) => {
    response.json(larder.changesSince(valid(ChangesRequest, request.query).since));
  });

  routes.post('/sets/verifying', (request, response) => {
    response.status(202).json(startVerifying(app, valid(SomeSets, request.body).ids));
  });

  routes.post('/sets/changing', async (request, response) => {
    const { ids, ...change } = valid(SomeSetsChange, request.body);
    response.json(await changeSome(larder, ids, change));
  });

  routes.get('/sets/:id', (request, response) => void response.json(larder.detail(request.params.id)));

  routes.patch('/sets/:id', async (request, response) => {
    response.json(await larder.change(request.params.id, valid(SetChange, request.body)));
  });

  routes.get('/find', (request, response) => {
    response.json(app.finding.find(valid(FindRequest, request.query).q));
  });

  routes.get('/names', (_request, response) => void response.json(app.nameIndex.view()));

  routes.put('/names', (request, response) => {
    response.json(app.nameIndex.change(valid(NameIndexChange, request.body).userData));
  });

  routes.get('/order', (_request, response) => void response.json(app.order.view()));

  routes.get('/scrub', (_request, response) => void response.json(app.scrubber.view()));

  routes.get('/order/room', (_request, response) => void response.json(app.order.room()));

  routes.get('/order/schedule', (_request, response) => void response.json(app.orderTimer.view()));

  routes.put('/order/schedule', (request, response) => {
    app.orderTimer.change(valid(OrderScheduleChange, request.body).rhythm);
    response.json(app.orderTimer.view());
  });

  routes.put('/order/rules', (request, response) => {
    response.json(app.order.change(valid(KeepRulesChange, request.body)));
  });

  routes.post('/order', async (request, response) => {
    await app.order.apply(valid(OrderApply, request.body).ids);
    response.json(app.order.view());
  });

  routes.post('/bin/empty', async (request, response) => {
    response.json(await larder.bin.empty(0, valid(EmptyBin, request.body).atOnce));
  });

  routes.post('/rebuilding', async (_request, response) => {
    response.status(202).json(await startRebuilding(app));
  });

  routes.post('/sets/:id/verifying', (request, response) => {
    response.status(202).json(startVerifying(app, [request.params.id]));
  });

  routes.post('/sets/:id/exporting', async (request, response) => {
    const wanted = valid(ExportRequest, request.body);
    response.status(202).json(await startExporting(app, request.params.id, wanted));
  });

  routes.get('/exports', async (_request, response) => void response.json(await app.exports.view()));

  routes.post('/exports/:id/verifying', (request, response) => {
    response.status(202).json(startVerifyingExport(app, request.params.id));
  });

  routes.delete('/exports/:id', async (request, response) => {
    await app.exports.remove(request.params.id);
    larder.changed();
    response.json(await app.exports.view());
  });

  routes.get('/sets/:id/images/:partition/raw', async (request, response) => {
    const image = larder.image(request.params.id, request.params.partition);
    response.attachment(plainFileName(image)).type('application/octet-stream');
    response.setHeader('content-length', image.bytes);
    await larder.bin.whileRead(request.params.id, () =>
      pipeline(Readable.from(readImage(larder.shelf, image)), response),
    );
  });

  routes.get('/sets/:id/export', async (request, response) => {
    const set = larder.detail(request.params.id);
    const wanted = valid(ExportRequest, fromQuery(request.query));
    if (wanted.passphrase !== undefined || wanted.recipients)
      throw new Problem(422, 'An address is no place for a passphrase. Ask for a sealed download.');
    await download(set, wanted, response);
  });

  routes.post('/sets/:id/sealed-downloads', (request, response) => {
    const set = larder.detail(request.params.id);
    const wanted = valid(ExportRequest, request.body);
    if (!exportOptions(set, wanted).seal)
      throw new Problem(422, 'Nothing says what it is to be sealed with: give a passphrase or recipients.');
    response.status(201).json({ ticket: sealed.issue(set.id, wanted) } satisfies SealedDownload);
  });

  routes.get('/sets/:id/sealed-downloads/:ticket', async (request, response) => {
    const set = larder.detail(request.params.id);
    await download(set, sealed.take(request.params.ticket, set.id), response);
  });

  return routes;
}

/** A query has text alone: numbers and lists are made of it, and judged with the rest. */
const fromQuery = ({ splitMebibytes, picked, ...rest }: Record<string, unknown>): object => ({
  ...rest,
  ...(splitMebibytes !== undefined && { splitMebibytes: Number(splitMebibytes) }),
  ...(picked !== undefined && { picked: typeof picked === 'string' ? picked.split(',') : picked }),
});
