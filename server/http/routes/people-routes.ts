import { Router } from 'express';
import type { SessionView } from '@keen-larder/contract/people.ts';
import {
  OperatorChange,
  OperatorDraft,
  OwnPassphrase,
  RecordRequest,
  SignIn,
} from '@keen-larder/contract/requests/people.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { KeenLarder } from '../../keen-larder.ts';
import { Problem } from '../../failures.ts';
import { recordView } from '../../people/record-view.ts';
import { keepSession, sessionToken, whoAsks } from '../sign-in.ts';
import { valid } from '../validate.ts';

/** Where nobody can be told from anybody else. */
const nowhere = 'unknown';

/** Who works here, who has signed in, and the record of what was done. */
export function peopleRoutes(app: KeenLarder): Router {
  const { people, record, settings } = app;
  const routes = Router();

  routes.get('/session', (request, response) => {
    const me = whoAsks(request, people);
    const view: SessionView = {
      asksWho: people.asksWho,
      me: me && { id: me.id, name: me.name, role: me.role },
    };
    response.json(view);
  });
  routes.post('/session', async (request, response) => {
    const { name, passphrase } = valid(SignIn, request.body);
    const { token, me } = await people.signIn(name, passphrase, request.socket.remoteAddress ?? nowhere);
    record.add('signed in', {}, me.name);
    keepSession(request, response, token);
    response.status(201).json({ asksWho: true, me: { id: me.id, name: me.name, role: me.role } });
  });
  routes.delete('/session', (request, response) => {
    keepSession(request, response, undefined);
    const token = sessionToken(request);
    if (token !== undefined) people.signOut(token);
    response.status(204).end();
  });
  routes.put('/session/passphrase', async (request, response) => {
    const { before, passphrase } = valid(OwnPassphrase, request.body);
    const me = whoAsks(request, people);
    if (!me) throw new Problem(401, 'Sign in first.');
    const address = request.socket.remoteAddress ?? nowhere;
    await people.changeOwn(me.id, before, passphrase, address);
    keepSession(request, response, (await people.signIn(me.name, passphrase, address)).token);
    response.status(204).end();
  });

  routes.get('/operators', (_request, response) => void response.json(people.list()));
  routes.post('/operators', async (request, response) => {
    response.status(201).json(await people.add(valid(OperatorDraft, request.body)));
  });
  routes.patch('/operators/:id', async (request, response) => {
    response.json(await people.change(Number(request.params.id), valid(OperatorChange, request.body)));
  });
  routes.delete('/operators/:id', (request, response) => {
    people.end(Number(request.params.id));
    response.status(204).end();
  });

  routes.get('/record', (request, response) => {
    response.json(recordView(app, valid(RecordRequest, request.query)));
  });
  routes.get('/record/export', async (_request, response) => {
    const day = new Date(app.now()).toISOString().slice(0, 10);
    response
      .attachment(`${fileNameOf(`${settings.all().shop.name} record ${day}`)}.jsonl`)
      .type('application/jsonl');
    await pipeline(Readable.from(linesOf(record.lines())), response);
  });
  return routes;
}

function* linesOf(lines: Iterable<string>): Generator<string> {
  for (const line of lines) yield `${line}\n`;
}
