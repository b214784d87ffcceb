import { plainToInstance } from 'class-transformer';
import { validateSync, type ValidationError } from 'class-validator';
import { Problem } from '../failures.ts';

/**
 * A request's body as an instance of its class.
 * @throws Problem 400 naming what is wrong
 */
export function valid<T extends object>(kind: new () => T, body: unknown): T {
  if (typeof body !== 'object' || body === null || Array.isArray(body)) {
    throw new Problem(400, 'The request has no JSON object as its body.');
  }
  const instance = plainToInstance(kind, body);
  const errors = validateSync(instance, { whitelist: true, forbidUnknownValues: true });
  if (errors.length > 0) throw new Problem(400, `${errors.flatMap(wordsOf).join('; ')}.`);
  return instance;
}

/** What is wrong with a field, and with the fields within it. */
const wordsOf = ({ constraints, children }: ValidationError): string[] => [
  ...Object.values(constraints ?? {}),
  ...(children ?? []).flatMap(wordsOf),
];

/** A user of a phone, of a query or an address; the owner where none is named. @throws Problem 400 */
export function userIn(value: unknown): number {
  if (value === undefined) return 0;
  if (typeof value !== 'string' || !/^\d{1,5}$/.test(value))
    throw new Problem(400, 'A user is a number, as Android gives it: 0 is the phone’s owner.');
  return Number(value);
}
