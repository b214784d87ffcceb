import type { NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { Problem } from '../failures.ts';

/** No inline script, nothing from elsewhere. Element Plus positions its popups by inline styles. */
export const headers = helmet({
  contentSecurityPolicy: {
    useDefaults: false,
    directives: {
      defaultSrc: ["'self'"],
      scriptSrc: ["'self'"],
      styleSrc: ["'self'", "'unsafe-inline'"],
      imgSrc: ["'self'", 'data:'],
      fontSrc: ["'self'"],
      connectSrc: ["'self'"],
      objectSrc: ["'none'"],
      baseUri: ["'none'"],
      formAction: ["'none'"],
      frameAncestors: ["'none'"],
    },
  },
  strictTransportSecurity: false,
});

const ownHosts = new Set(['127.0.0.1', 'localhost', '[::1]']);

/** Refuses names that merely resolve to this computer (DNS rebinding). */
export function ownHostOnly(request: Request, _response: Response, next: NextFunction): void {
  const host = (request.headers.host ?? '').replace(/:\d+$/, '');
  if (!ownHosts.has(host)) throw new Problem(403, `“${host}” is not a name of this computer. Use 127.0.0.1.`);
  next();
}

/** Refuses changes asked for by pages of other origins. */
export function ownOriginOnly(request: Request, _response: Response, next: NextFunction): void {
  if (request.method === 'GET' || request.method === 'HEAD') return next();
  const { origin, host } = request.headers;
  const site = request.headers['sec-fetch-site'];
  const foreignOrigin = origin !== undefined && origin !== `http://${host ?? ''}`;
  const foreignSite = site !== undefined && site !== 'same-origin' && site !== 'none';
  if (foreignOrigin || foreignSite)
    throw new Problem(403, 'Another web page asked for this. It was not done.');
  next();
}
