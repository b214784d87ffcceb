import { Router } from 'express';
import {
  ImportingAppsRequest,
  ImportingAppsStart,
  ImportingRequest,
  ImportingStart,
  ImportPassphrase,
} from '@keen-larder/contract/requests/imports.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { importAppsSheet, startImportingApps } from '../../runs/files/importing-apps.ts';
import { importSheet, knownParts, knownPartitions, startImporting } from '../../runs/files/importing.ts';
import { withMark } from '../../runs/engine/sheet-mark.ts';
import { valid } from '../validate.ts';
import { Problem } from '../../failures.ts';

/** A copy may take hours; between two pieces of it no more than this. */
const uploadStallMs = 60_000;

/** @throws Problem 507 where a file does not fit */
async function requireRoom({ larder }: KeenLarder, bytes: number): Promise<void> {
  const { freeBytes } = await larder.shelf.space();
  if (bytes <= freeBytes) return;
  throw new Problem(
    507,
    `The file has ${sizeText(bytes)}, and the disk has room for ${sizeText(freeBytes)}. Free some space, then copy it again.`,
  );
}

/** Files that come into the larder: copied by a browser, or found in the watched folder. */
export function importRoutes(app: KeenLarder): Router {
  const { incoming } = app;
  const routes = Router();

  routes.get('/imports', (_request, response) => {
    response.json(incoming.view((serial) => knownPartitions(app, serial)));
  });

  routes.get('/phones/:serial/known-partitions', async (request, response) => {
    response.json(await knownParts(app, request.params.serial));
  });

  routes.post(
    '/copies',
    async (_request, response) => void response.status(201).json(await incoming.begin()),
  );

  routes.put('/copies/:id/files', async (request, response) => {
    await requireRoom(app, Number(request.headers['content-length'] ?? 0));
    // A browser that stands still is let go; what came of the file is removed.
    request.setTimeout(uploadStallMs, () => request.destroy());
    response.status(201).json(await incoming.take(request.params.id, textOf(request.query['path']), request));
  });

  routes.post('/copies/:id/end', async (request, response) => {
    response.json(await incoming.finish(request.params.id, textOf(request.query['name'])));
  });

  routes.delete('/copies/:id', async (request, response) => {
    await incoming.breakOff(request.params.id);
    response.status(204).end();
  });

  routes.delete('/imports/:id', async (request, response) => {
    await incoming.discard(request.params.id);
    response.status(204).end();
  });

  routes.post('/imports/:id/passphrase', async (request, response) => {
    const { passphrase } = valid(ImportPassphrase, request.body);
    await incoming.unlock(request.params.id, passphrase);
    response.status(204).end();
  });

  routes.post('/imports/:id/sheet', async (request, response) => {
    const batch = incoming.batch(request.params.id);
    response.json(withMark(await importSheet(app, batch, valid(ImportingRequest, request.body))));
  });

  routes.post('/imports/:id/importing', async (request, response) => {
    const { id } = request.params;
    const start = valid(ImportingStart, request.body);
    const run = await startImporting(app, incoming.batch(id), start, () => incoming.putAside(id));
    response.status(202).json(run);
  });

  routes.post('/imports/:id/apps-sheet', async (request, response) => {
    const batch = incoming.batch(request.params.id);
    response.json(withMark(await importAppsSheet(app, batch, valid(ImportingAppsRequest, request.body))));
  });

  routes.post('/imports/:id/importing-apps', async (request, response) => {
    const { id } = request.params;
    const start = valid(ImportingAppsStart, request.body);
    const run = await startImportingApps(app, incoming.batch(id), start, () => incoming.putAside(id));
    response.status(202).json(run);
  });

  return routes;
}

function textOf(value: unknown): string {
  if (typeof value !== 'string') throw new Problem(400, 'The address names no file.');
  return value;
}
