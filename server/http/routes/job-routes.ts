import { Router } from 'express';
import { JobChange, JobDraft, JobNoteText } from '@keen-larder/contract/requests/jobs.ts';
import type { KeenLarder } from '../../keen-larder.ts';
import { valid } from '../validate.ts';

/** Job cards. */
export function jobRoutes({ jobs }: KeenLarder): Router {
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
  return routes;
}
