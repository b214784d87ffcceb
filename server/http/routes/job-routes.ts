import express, { Router, type Request } from 'express';
import {
  JobChange,
  JobDraft,
  JobFileName,
  JobNoteText,
  ReportRequest,
  ShopChange,
} from '@keen-larder/contract/requests/jobs.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { fileNameOf } from '@keen-larder/core/larder/label.ts';
import { Problem } from '../../failures.ts';
import { reportHtml } from '../../jobs/report-html.ts';
import { reportPdf } from '../../jobs/report-pdf.ts';
import { valid } from '../validate.ts';

/** Photos of phones have some megabytes. */
const mostFileBytes = '24mb';

/** Job cards. */
export function jobRoutes({ jobs, jobFiles, settings }: KeenLarder): Router {
  const routes = Router();
  routes.get('/jobs', (_request, response) => void response.json(jobs.list()));
  routes.post('/jobs', (request, response) => {
    response.status(201).json(jobs.open(valid(JobDraft, request.body)));
  });
  routes.get('/jobs/:id', (request, response) => void response.json(jobs.detail(request.params.id)));
  routes.patch('/jobs/:id', (request, response) => {
    response.json(jobs.change(request.params.id, valid(JobChange, request.body)));
  });
  routes.post('/jobs/:id/notes', (request, response) => {
    response.status(201).json(jobs.note(request.params.id, valid(JobNoteText, request.body).text));
  });
  routes.post(
    '/jobs/:id/files',
    express.raw({ type: () => true, limit: mostFileBytes }),
    (request: Request<{ id: string }>, response) => {
      const { name } = valid(JobFileName, request.query);
      const content = Buffer.isBuffer(request.body) ? request.body : Buffer.alloc(0);
      response.status(201).json(jobs.addFile(request.params.id, name, content));
    },
  );
  routes.get('/jobs/:id/files/:file', (request, response) => {
    const { name, content } = jobFiles.read(request.params.id, request.params.file);
    response.attachment(name).type('application/octet-stream').send(content);
  });
  // What a card shows of itself is no download.
  routes.get('/jobs/:id/pictures/:file', (request, response) => {
    const { content, type } = jobFiles.read(request.params.id, request.params.file);
    if (type === undefined) throw new Problem(404, 'This file is not a picture.');
    response.type(type).send(content);
  });
  routes.delete('/jobs/:id/files/:file', (request, response) => {
    response.json(jobs.removeFile(request.params.id, request.params.file));
  });
  routes.get('/jobs/:id/report.pdf', async (request, response) => {
    const { paper } = valid(ReportRequest, request.query);
    const report = jobs.report(request.params.id, settings.all().shop);
    response
      .attachment(`${fileNameOf(report.title)}.pdf`)
      .type('application/pdf')
      .send(await reportPdf(report, paper));
  });
  routes.get('/jobs/:id/report.html', (request, response) => {
    const report = jobs.report(request.params.id, settings.all().shop);
    response
      .attachment(`${fileNameOf(report.title)}.html`)
      .type('text/html')
      .send(reportHtml(report));
  });
  routes.get('/shop', (_request, response) => void response.json(settings.all().shop));
  routes.put('/shop', (request, response) => {
    const { name, address } = valid(ShopChange, request.body);
    settings.save('shop', { name, address });
    response.json(settings.all().shop);
  });
  return routes;
}
