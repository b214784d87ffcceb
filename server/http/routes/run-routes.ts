import { Router } from 'express';
import type { ProofView } from '@keen-larder/contract/runs.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { proofReport } from '@keen-larder/core/jobs/proof-paper.ts';
import type { Report } from '@keen-larder/core/jobs/report.ts';
import { ReportRequest, RunsClearing } from '@keen-larder/contract/requests/jobs.ts';
import { reportHtml } from '../../jobs/report-html.ts';
import { reportPdf } from '../../jobs/report-pdf.ts';
import { valid } from '../validate.ts';
import { allHalfWritten } from '../../runs/restoring/writing-journal.ts';
import { resumeRun } from '../../runs/resuming.ts';
import { Problem } from '../../failures.ts';

/** Runs, live and past. */
export function runRoutes(app: KeenLarder): Router {
  const { engine } = app;
  const routes = Router();
  routes.get('/half-written', (_request, response) => {
    response.json(allHalfWritten(app.unfinished));
  });
  routes.get('/runs', (_request, response) => void response.json(engine.list()));
  routes.delete('/runs', (request, response) => {
    const { days } = valid(RunsClearing, request.body);
    const before = app.now() - days * 24 * 60 * 60_000;
    response.json({ cleared: engine.clear(before, app.jobs.belonging()) });
  });
  routes.get('/runs/:id', (request, response) => void response.json(engine.view(request.params.id)));
  routes.get('/runs/:id/log', (request, response) => void response.json(engine.logOf(request.params.id)));
  routes.get('/runs/:id/proof', (request, response) => {
    response.json(proofOf(app, request.params.id));
  });
  routes.get('/runs/:id/proof.html', (request, response) => {
    const { name, report } = paperOf(app, request.params.id);
    response.attachment(`${name}.html`).type('text/html').send(reportHtml(report));
  });
  routes.get('/runs/:id/proof.pdf', async (request, response) => {
    const { paper } = valid(ReportRequest, request.query);
    const { name, report } = paperOf(app, request.params.id);
    response
      .attachment(`${name}.pdf`)
      .type('application/pdf')
      .send(await reportPdf(report, paper));
  });
  routes.post(
    '/runs/:id/cancel',
    (request, response) => void response.json(engine.cancel(request.params.id)),
  );
  routes.post('/runs/:id/pause', (request, response) => void response.json(engine.pause(request.params.id)));
  routes.post(
    '/runs/:id/continue',
    (request, response) => void response.json(engine.continue(request.params.id)),
  );
  routes.post('/runs/:id/resume', async (request, response) => {
    response.status(202).json(await resumeRun(app, request.params.id));
  });
  return routes;
}

function paperOf(app: KeenLarder, id: string): { name: string; report: Report } {
  const proof = proofOf(app, id);
  return {
    name: `${fileNameOf(`${proof.nickname} ${proof.label}`)} proof of return`,
    report: proofReport({ ...proof, shop: app.settings.all().shop }, app.minutesEast),
  };
}

/** @throws Problem 404 when nothing was compared */
function proofOf({ engine, returns }: KeenLarder, id: string): ProofView {
  engine.view(id);
  const found = returns.proof(id);
  if (!found) throw new Problem(404, 'This run compared no phone with what was kept.');
  return found;
}
