import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { Router } from 'express';
import { pack as tarPack, type Pack } from 'tar-stream';
import { RestoringRequest, RestoringStart, SetChange } from '@keen-larder/contract/requests.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { rawFileName } from '../larder/checksums.ts';
import type { Larder } from '../larder/larder.ts';
import { startExporting } from '../runs/exporting.ts';
import { startRestoring } from '../runs/restoring.ts';
import { startVerifying } from '../runs/verifying.ts';
import { readImage } from '../shelf/image-reader.ts';
import { valid } from './validate.ts';

/** Sets: their labels and contents, verifying, exporting and putting them back. */
export function setRoutes(app: KeenLarder): Router {
  const { larder, sheets } = app;
  const routes = Router();

  routes.get('/shelf', async (_request, response) => void response.json(await larder.shelfView()));

  routes.get('/sets', (_request, response) => void response.json(larder.list()));

  routes.get('/sets/:id', (request, response) => void response.json(larder.detail(request.params.id)));

  routes.patch('/sets/:id', async (request, response) => {
    response.json(await larder.change(request.params.id, valid(SetChange, request.body)));
  });

  routes.post('/bin/empty', async (_request, response) => {
    response.json(await larder.emptyBin(app.now(), (id) => app.engine.usesSet(id)));
  });

  routes.post('/sets/:id/verifying', (request, response) => {
    response.status(202).json(startVerifying(app, request.params.id));
  });

  routes.post('/sets/:id/exporting', async (request, response) => {
    response.status(202).json(await startExporting(app, request.params.id));
  });

  routes.post('/sets/:id/restoring-sheet', async (request, response) => {
    response.json(await sheets.restoring(request.params.id, valid(RestoringRequest, request.body)));
  });

  routes.post('/sets/:id/restoring', async (request, response) => {
    response
      .status(202)
      .json(await startRestoring(app, request.params.id, valid(RestoringStart, request.body)));
  });

  routes.get('/sets/:id/images/:partition/raw', async (request, response) => {
    const image = larder.image(request.params.id, request.params.partition);
    response.attachment(rawFileName(image.partition)).type('application/octet-stream');
    response.setHeader('content-length', image.bytes);
    await pipeline(Readable.from(readImage(larder.shelf, image)), response);
  });

  routes.get('/sets/:id/export.tar', async (request, response) => {
    const set = larder.detail(request.params.id);
    const folder = fileNameOf(set.label);
    response.attachment(`${folder}.tar`).type('application/x-tar');
    const tar = tarPack();
    const sent = pipeline(tar, response);
    try {
      await fillTar(tar, larder, set.id, folder, new Date(set.createdAt));
    } catch (error) {
      // The answer has begun: break it off, so that the browser does not take half of it for whole.
      tar.destroy(error as Error);
    }
    await sent;
  });

  return routes;
}

async function fillTar(tar: Pack, larder: Larder, setId: string, folder: string, mtime: Date): Promise<void> {
  for (const [name, text] of Object.entries(larder.checksumFiles(setId))) {
    tar.entry({ name: `${folder}/${name}`, mtime }, text);
  }
  for (const { partition, bytes } of larder.detail(setId).images) {
    const entry = tar.entry({ name: `${folder}/${rawFileName(partition)}`, size: bytes, mtime });
    await pipeline(Readable.from(readImage(larder.shelf, larder.image(setId, partition))), entry);
  }
  tar.finalize();
}
