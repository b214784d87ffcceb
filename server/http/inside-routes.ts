import { posix } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Router } from 'express';
import { InsideRequest } from '@keen-larder/contract/requests/sets.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { valid } from './validate.ts';

/** What lies within images on the shelf. */
export function insideRoutes({ inside }: KeenLarder): Router {
  const routes = Router();
  const treeOf = async (params: { id: string; partition: string }, query: unknown) => {
    const { part = '', path } = valid(InsideRequest, query as object);
    return { tree: await inside.tree(params.id, params.partition, part), path: posix.resolve('/', path) };
  };

  routes.get('/sets/:id/images/:partition/inside', async (request, response) => {
    response.json(await inside.view(request.params.id, request.params.partition));
  });

  routes.get('/sets/:id/images/:partition/files', async (request, response) => {
    const { tree, path } = await treeOf(request.params, request.query);
    response.json(await tree.list(path));
  });

  routes.get('/sets/:id/images/:partition/preview', async (request, response) => {
    const { tree, path } = await treeOf(request.params, request.query);
    response.json(await inside.preview(tree, path));
  });

  routes.get('/sets/:id/images/:partition/file', async (request, response) => {
    const { tree, path } = await treeOf(request.params, request.query);
    const { bytes, content } = await tree.open(path);
    response.attachment(posix.basename(path)).type('application/octet-stream');
    response.setHeader('content-length', bytes);
    await pipeline(Readable.from(content), response);
  });

  return routes;
}
