import express, { type Request, type RequestHandler, type Response, type Router } from 'express';
import onHeaders from 'on-headers';
import { Problem } from '../failures.ts';
import { inNameOf } from '../people/acting.ts';
import { deeds } from '../people/deeds.ts';
import type { Operator, People } from '../people/people.ts';
import type { ShopRecord } from '../people/shop-record.ts';
import { cookieIn, portOf } from './access.ts';

const cookieName = (request: Request) => `keen-larder-session-${portOf(request)}`;

/** What may be asked before one has signed in. */
const open = new Set(['GET /about', 'GET /session', 'POST /session', 'DELETE /session']);

const askedFor = ({ method, path }: Request) => `${method} ${path}`;

/** The session that a request belongs to. */
export const sessionToken = (request: Request): string | undefined => cookieIn(request, cookieName(request));

/** Has the browser keep a session until it is closed, or the session ends. */
export function keepSession(request: Request, response: Response, token: string | undefined): void {
  const secure = request.secure ? '; Secure' : '';
  const ends = token === undefined ? '; Max-Age=0' : '';
  const cookie = `${cookieName(request)}=${token ?? ''}; HttpOnly; SameSite=Strict; Path=/${secure}${ends}`;
  response.setHeader('set-cookie', cookie);
}

/** Whoever has signed in; nobody where nobody is asked. */
export const whoAsks = (request: Request, people: People): Operator | undefined => {
  const token = sessionToken(request);
  return token === undefined ? undefined : people.whoHas(token);
};

/** Where operators are named, answers them alone, and does in their name what they ask for. */
export const signedInOnly =
  (people: People): RequestHandler =>
  (request, response, next) => {
    if (!people.asksWho) return inNameOf(undefined, next);
    const me = whoAsks(request, people);
    if (!me && !open.has(askedFor(request))) throw new Problem(401, 'Sign in first.');
    // What goes on and on, as news and downloads do, ends with the session.
    if (me && request.method === 'GET')
      response.on(
        'close',
        people.untilSignedOut(sessionToken(request)!, () => response.destroy()),
      );
    inNameOf(me?.name, next);
  };

/** What is for owners alone is refused to others; what is done is written into the record before it is answered. */
export function deedsOnRecord(people: People, record: ShopRecord): Router {
  const routes = express.Router();
  for (const [route, { words, forOwners }] of Object.entries(deeds)) {
    const [method, path] = route.split(' ') as [string, string];
    const name = method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete';
    routes[name](path, (request, response, next) => {
      if (forOwners && people.asksWho && whoAsks(request, people)?.role !== 'owner')
        throw new Problem(403, 'Only an owner of this bench may do that. Ask one.');
      if (words !== undefined) recordWhenDone(record, route, request, response);
      next();
    });
  }
  return routes;
}

/** Ids alone: names, addresses and packages tell of customers. */
const recorded = new Set(['serial', 'to', 'id', 'other']);

function recordWhenDone(record: ShopRecord, route: string, request: Request, response: Response): void {
  const params = Object.entries(request.params as Record<string, string>);
  const on = Object.fromEntries(params.filter(([name]) => recorded.has(name)));
  onHeaders(response, () => {
    if (response.statusCode < 400) record.add(route, on);
  });
}
