import { posix } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Router } from 'express';
import { FolderRequest, InsideRequest, TreeRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { valid } from '../validate.ts';

/** What lies within images on the shelf, and what differs between two sets. */
export function insideRoutes({ inside, comparing }: KeenLarder): Router {
  const routes = Router();
  const treeOf = async (params: { id: string; partition: string }, query: unknown) => {
    const { part = '', path } = valid(InsideRequest, query as object);
    return { tree: await inside.tree(params.id, params.partition, part), path: posix.resolve('/', path) };
  };

  routes.get('/sets/:id/images/:partition/inside', async (request, response) => {
    response.json(await inside.view(request.params.id, request.params.partition));
  });

  routes.get('/sets/:id/images/:partition/files', async (request, response) => {
    const { from = '0', named = '' } = valid(FolderRequest, request.query as object);
    const { tree, path } = await treeOf(request.params, request.query);
    response.json(await tree.list(path, { from: Number(from), named }));
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

  const sidesOf = ({ id, other }: { readonly id: string; readonly other: string }) => ({
    before: id,
    after: other,
  });

  routes.get('/sets/:id/against/:other', async (request, response) => {
    response.json(await comparing.sets(sidesOf(request.params)));
  });

  routes.get('/sets/:id/compared-with/:other', async (request, response) => {
    const html = await comparing.page(sidesOf(request.params));
    response.attachment('comparison.html').type('text/html').send(html);
  });

  routes.get('/sets/:id/against/:other/:partition', async (request, response) => {
    response.json(await comparing.partition(sidesOf(request.params), request.params.partition));
  });

  routes.get('/sets/:id/against/:other/:partition/files', async (request, response) => {
    const { part = '' } = valid(TreeRequest, request.query);
    response.json(await comparing.files(sidesOf(request.params), request.params.partition, part));
  });

  routes.get('/sets/:id/against/:other/:partition/apps', async (request, response) => {
    response.json(await comparing.apps(sidesOf(request.params), request.params.partition));
  });

  routes.get('/sets/:id/against/:other/:partition/text', async (request, response) => {
    const { part = '', path } = valid(InsideRequest, request.query);
    const { params } = request;
    response.json(await comparing.text(sidesOf(params), params.partition, part, posix.resolve('/', path)));
  });

  return routes;
}
