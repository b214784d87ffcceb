import { randomBytes, timingSafeEqual } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import { writeDurably } from '../disk/durable.ts';
import { Problem } from '../failures.ts';

const keyBytes = 24;
const yearSeconds = 365 * 24 * 60 * 60;

/** What a browser, or a program, without the key is told. */
export const lockedOut =
  'This bench is closed. Open the link that Keen Larder printed when it was started: it has the key, which the browser then remembers.';

/** The key of a home folder, made at the first start and kept there: who can read it may use the bench. */
export async function accessKeyOf(home: string): Promise<string> {
  const path = join(home, 'access-key');
  const found = await readFile(path, 'utf8').catch(() => '');
  if (/^[\w-]{32}$/.test(found.trim())) return found.trim();
  const key = randomBytes(keyBytes).toString('base64url');
  await writeDurably(path, `${key}\n`);
  return key;
}

/** As the browser asked for it. */
export const portOf = ({ headers, secure }: Request): string =>
  /:(\d+)$/.exec(headers.host ?? '')?.[1] ?? (secure ? '443' : '80');

/** Cookies go to every port of a computer: each bench has its own. */
const cookieName = (request: Request): string => `keen-larder-${portOf(request)}`;

function isSame(given: string | undefined, key: string): boolean {
  const [a, b] = [Buffer.from(given ?? ''), Buffer.from(key)];
  return a.length === b.length && timingSafeEqual(a, b);
}

export function cookieIn(request: Request, name: string): string | undefined {
  for (const part of (request.headers.cookie ?? '').split(';')) {
    const at = part.indexOf('=');
    if (part.slice(0, at).trim() === name) return part.slice(at + 1).trim();
  }
  return undefined;
}

function hasKey(request: Request, key: string): boolean {
  const { authorization = '' } = request.headers;
  return (
    isSame(cookieIn(request, cookieName(request)), key) ||
    isSame(/^Bearer (\S+)$/.exec(authorization)?.[1], key)
  );
}

/**
 * Refuses whoever has not the key, this computer's other users among them.
 * @param asksWho whether operators sign in instead
 */
export const withKeyOnly =
  (key: string, asksWho: () => boolean): RequestHandler =>
  (request, _response, next) => {
    if (!asksWho() && !hasKey(request, key)) throw new Problem(401, lockedOut);
    next();
  };

/** Takes the key out of the link, has the browser remember it, and leads on without it. */
export const keyFromLink =
  (key: string): RequestHandler =>
  (request: Request, response: Response, next: NextFunction) => {
    const { key: given } = request.query;
    if (given === undefined) return next();
    if (typeof given !== 'string' || !isSame(given, key)) throw new Problem(401, lockedOut);
    response.setHeader(
      'set-cookie',
      `${cookieName(request)}=${key}; HttpOnly; SameSite=Strict; Path=/; Max-Age=${yearSeconds}`,
    );
    response.setHeader('cache-control', 'no-store');
    // The address bar and the history are not to keep it.
    response.redirect(303, request.path);
  };
