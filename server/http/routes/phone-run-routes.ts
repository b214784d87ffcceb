import type { Router } from 'express';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { withMark } from '../../runs/engine/sheet-mark.ts';
import { valid } from '../validate.ts';

/** How a request for one kind of run on a phone is taken: its class, and what answers it. */
type Taken<Request extends object, Answer> = readonly [
  kind: new () => Request,
  answer: (serial: string, request: Request) => Promise<Answer>,
];

/** The two routes of a kind of run on a phone: `POST /phones/SERIAL/NAME-sheet`, and `…/NAME`, which starts it. */
export function phoneRunRoutes<Asked extends object, Start extends object>(
  routes: Router,
  name: string,
  [AskedKind, sheet]: Taken<Asked, Pick<RunSheet, 'steps'>>,
  [StartKind, start]: Taken<Start, RunView>,
): void {
  routes.post(`/phones/:serial/${name}-sheet`, async (request, response) => {
    response.json(withMark(await sheet(request.params['serial'], valid(AskedKind, request.body))));
  });
  routes.post(`/phones/:serial/${name}`, async (request, response) => {
    response.status(202).json(await start(request.params['serial'], valid(StartKind, request.body)));
  });
}
