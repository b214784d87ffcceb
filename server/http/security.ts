import type { NextFunction, Request, RequestHandler, Response } from 'express';
import helmet from 'helmet';
import { inUrl } from './addresses.ts';
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

/**
 * Refuses names that merely resolve to this computer (DNS rebinding).
 * @param hosts names and addresses by which it is asked for; the first one is told
 */
export function ownHostOnly(hosts: readonly string[]): RequestHandler {
  const known = new Set(hosts.map(inUrl));
  return (request, _response, next) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '').toLowerCase();
    if (!known.has(host))
      throw new Problem(403, `“${host}” is not a name of this computer. Use ${inUrl(hosts[0]!)}.`);
    next();
  };
}

/** Refuses changes asked for by pages of other origins. */
export function ownOriginOnly(request: Request, _response: Response, next: NextFunction): void {
  if (request.method === 'GET' || request.method === 'HEAD') return next();
  const { origin, host } = request.headers;
  const site = request.headers['sec-fetch-site'];
  const foreignOrigin = origin !== undefined && origin !== `${request.protocol}://${host ?? ''}`;
  const foreignSite = site !== undefined && site !== 'same-origin' && site !== 'none';
  if (foreignOrigin || foreignSite)
    throw new Problem(403, 'Another web page asked for this. It was not done.');
  next();
}
