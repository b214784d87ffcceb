import { Router } from 'express';
import { practiceActionKind, type PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import { valid } from '../validate.ts';
import { Problem } from '../../failures.ts';

/** Passes the practice bench's controls on to the simulated phones, so that the page talks to one origin. */
export function practiceRoutes(controlUrl: string | undefined): Router {
  const routes = Router();

  const ask = async (path: string, action?: PracticeAction): Promise<unknown> => {
    if (!controlUrl) throw new Problem(404, 'There are no simulated phones here.');
    let answer: Response;
    try {
      answer = await fetch(`${controlUrl}${path}`, {
        method: action ? 'POST' : 'GET',
        ...(action && { body: JSON.stringify(action) }),
      });
    } catch {
      throw new Problem(502, 'The simulated phones do not answer. Start the demo again.');
    }
    const body = (await answer.json()) as { detail?: string };
    if (!answer.ok) throw new Problem(answer.status, body.detail ?? 'The simulated phones refused.');
    return body;
  };

  routes.get('/practice', async (_request, response) => void response.json(await ask('/phones')));
  routes.post('/practice/:serial', async (request, response) => {
    const path = `/phones/${encodeURIComponent(request.params.serial)}`;
    const kind = practiceActionKind(request.body);
    if (!kind) throw new Problem(400, 'do must be the name of a control.');
    response.json(await ask(path, valid(kind, request.body)));
  });
  return routes;
}
