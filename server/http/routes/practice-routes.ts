import { Readable } from 'node:stream';
import { Router } from 'express';
import { practiceActionKind, type PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import { valid } from '../validate.ts';
import { Problem } from '../../failures.ts';

/** Passes the practice bench's controls on to the simulated phones, so that the page talks to one origin. */
export function practiceRoutes(controlUrl: string | undefined): Router {
  const routes = Router();

  const ask = async (path: string, body?: BodyInit): Promise<unknown> => {
    if (!controlUrl) throw new Problem(404, 'There are no simulated phones here.');
    let answer: Response;
    try {
      answer = await fetch(`${controlUrl}${path}`, {
        method: body === undefined ? 'GET' : 'POST',
        ...(body !== undefined && { body, duplex: 'half' }),
      });
    } catch {
      throw new Problem(502, 'The simulated phones do not answer. Start the demo again.');
    }
    const said = (await answer.json()) as { detail?: string };
    if (!answer.ok) throw new Problem(answer.status, said.detail ?? 'The simulated phones refused.');
    return said;
  };

  routes.get('/practice', async (_request, response) => void response.json(await ask('/phones')));
  routes.post('/practice/:serial', async (request, response) => {
    const path = `/phones/${encodeURIComponent(request.params.serial)}`;
    const kind = practiceActionKind(request.body);
    if (!kind) throw new Problem(400, 'do must be the name of a control.');
    response.json(await ask(path, JSON.stringify(valid<PracticeAction>(kind, request.body))));
  });
  routes.post('/practice/:serial/package', async (request, response) => {
    const path = `/phones/${encodeURIComponent(request.params.serial)}/package`;
    response.json(await ask(path, Readable.toWeb(request) as unknown as BodyInit));
  });
  return routes;
}
