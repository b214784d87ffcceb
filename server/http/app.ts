import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import compression from 'compression';
import express, { type ErrorRequestHandler, type Express, type RequestHandler, type Router } from 'express';
import type { Logger } from 'pino';
import type { KeenLarder } from '../keen-larder.ts';
import { loopbackHosts } from './addresses.ts';
import { benchRoutes } from './routes/bench-routes.ts';
import { codeRoutes } from './routes/code-routes.ts';
import { copyRoutes } from './routes/copy-routes.ts';
import { recordRoutes } from './routes/record-routes.ts';
import { sharedRoutes } from './routes/shared-routes.ts';
import { eventRoutes } from './routes/event-routes.ts';
import { importRoutes } from './routes/import-routes.ts';
import { insideRoutes } from './routes/inside-routes.ts';
import { jobRoutes } from './routes/job-routes.ts';
import { peopleRoutes } from './routes/people-routes.ts';
import { practiceRoutes } from './routes/practice-routes.ts';
import { runRoutes } from './routes/run-routes.ts';
import { headers, ownHostOnly, ownOriginOnly } from './security.ts';
import { keyFromLink, withKeyOnly } from './access.ts';
import { deedsOnRecord, signedInOnly } from './sign-in.ts';
import { offsiteRoutes, sealRoutes } from './routes/offsite-routes.ts';
import { setRoutes } from './routes/set-routes.ts';
import { newestVersion } from '../database/open.ts';
import { shelfVersion } from '../shelf/shelf-file.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { isDiskFull, plainWords, Problem, traitsOf } from '../failures.ts';

export interface HttpOptions {
  readonly log: Logger;
  /** Controls of the simulated phones, in the demo. */
  readonly practiceUrl: string | undefined;
  /** By which this computer is asked for; loopback where left out. */
  readonly hosts?: readonly string[];
  /** Without which nothing is answered; left out where the bench is open to everybody on this computer, as the demo is. */
  readonly accessKey?: string | undefined;
}

/** Of the program, of the catalogue that it writes, of shelves that it reads. */
const { version } = JSON.parse(readFileSync(join(import.meta.dirname, '../../package.json'), 'utf8')) as {
  version: string;
};

const versions = { version, node: process.versions.node, catalogue: newestVersion(), shelf: shelfVersion };

/** From here, and from where the program is built, alike. */
const builtInterface = join(import.meta.dirname, '../../web/dist');

export function httpApp(app: KeenLarder, options: HttpOptions): Express {
  const { log } = options;
  const http = express();
  http.disable('x-powered-by');
  http.use(headers, ownHostOnly(options.hosts ?? loopbackHosts), ownOriginOnly);
  http.use(compression({ filter: isWorthPacking }));
  http.use(bodyInTime, express.json({ limit: '256kb', reviver: plainKeysOnly }));

  if (options.accessKey !== undefined) {
    http.use(keyFromLink(options.accessKey));
    http.use(
      '/api',
      withKeyOnly(options.accessKey, () => app.people.asksWho),
    );
  }
  http.use('/api', (_request, response, next) => {
    response.setHeader('cache-control', 'no-store');
    next();
  });
  http.use('/api', signedInOnly(app.people), deedsOnRecord(app.people, app.record));
  http.use('/api', apiRoutes(app, options));

  // Their names tell of their contents.
  http.use('/assets', express.static(join(builtInterface, 'assets'), { maxAge: '1y', immutable: true }));
  http.use(express.static(builtInterface, { index: false, maxAge: '1h' }));
  http.get('/{*path}', (_request, response) => {
    const page = join(builtInterface, 'index.html');
    if (!existsSync(page)) throw new Problem(404, 'The interface has not been built. Run `npm run build`.');
    response.setHeader('cache-control', 'no-store');
    response.sendFile(page);
  });

  const failed: ErrorRequestHandler = (error: unknown, request, response, next) => {
    const problem = asProblem(error);
    if (problem.status >= 500) log.error({ err: error as Error, path: request.path }, 'request failed');
    if (response.headersSent) return next(error);
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
  http.use(failed);
  return http;
}

/** News are to arrive at once. */
const isWorthPacking: compression.CompressionFilter = (request, response) =>
  response.getHeader('content-type') !== 'text/event-stream' && compression.filter(request, response);

/** A name that every object has already is none of a request's. */
function plainKeysOnly(key: string, value: unknown): unknown {
  if (['__proto__', 'constructor', 'prototype'].includes(key))
    throw new Problem(400, `The request has a field “${key}”, which no request has.`);
  return value;
}

/** A request is small, but for copies of files, which have a limit of their own. */
const bodyMs = 30_000;

/** Ends requests whose body does not come to an end. */
const bodyInTime: RequestHandler = (request, _response, next) => {
  if (request.headers['content-type']?.startsWith('application/json')) {
    const timer = setTimeout(() => request.destroy(), bodyMs);
    for (const event of ['end', 'close']) request.once(event, () => clearTimeout(timer));
  }
  next();
};

/** Everything below `/api`; docs/api.md tells each. */
export function apiRoutes(app: KeenLarder, { practiceUrl, accessKey }: HttpOptions): Router {
  const api = express.Router();
  api.use((request, _response, next) => {
    if (request.method !== 'GET') app.makeRoom();
    next();
  });
  api.get('/about', (_request, response) => {
    response.json({ practice: practiceUrl !== undefined, isOpen: accessKey === undefined, ...versions });
  });
  api.use(
    benchRoutes(app),
    copyRoutes(app),
    codeRoutes(app),
    recordRoutes(app),
    sharedRoutes(app),
    setRoutes(app),
    offsiteRoutes(app),
    sealRoutes(app),
    insideRoutes(app),
    importRoutes(app),
    jobRoutes(app),
    peopleRoutes(app),
    runRoutes(app),
    practiceRoutes(practiceUrl),
  );
  api.use(eventRoutes(app.feed, app.now()));
  api.use(() => {
    throw new Problem(404, 'There is nothing at this address.');
  });
  return api;
}

function asProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  // Errors of Express and of its parsers carry a status of their own.
  const own = (error as { status?: unknown }).status;
  if (typeof own === 'number' && own >= 400 && own < 500) return new Problem(own, (error as Error).message);
  const { status, title } = traitsOf(error);
  if (error instanceof FormatError)
    return new Problem(status, `The image cannot be read there: ${error.message}.`, undefined, title);
  // What nobody foresaw may name files of this computer: it goes into the log alone.
  return new Problem(
    status,
    status < 500 || traitsOf(error).isExpected || isDiskFull(error)
      ? plainWords(error, false)
      : 'Keen Larder could not do this. The log file says why.',
    undefined,
    title,
  );
}
