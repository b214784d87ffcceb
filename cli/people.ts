import { readFileSync } from 'node:fs';
import type { OperatorRole } from '@keen-larder/contract/people.ts';
import { goesOn, verifyRecord } from '@keen-larder/core/people/record.ts';
import type { KeenLarder } from '@keen-larder/server/keen-larder.ts';
import { complain, say } from './output.ts';
import { secretFrom } from './passphrase.ts';
import { withHome } from './with-home.ts';

export interface PeopleOptions {
  readonly home: string;
  readonly json?: boolean;
}

const passphraseVariable = 'KEEN_LARDER_OPERATOR_PASSPHRASE';
/** In whose name the record has what was done here. */
const commandLine = 'command line';

/** @returns 0, or 1 where nobody is named */
export const listOperators = ({ home, json = false }: PeopleOptions): Promise<number> =>
  withHome({ home }, ({ people }) => {
    const all = people.list();
    if (json) say(JSON.stringify(all, null, 2));
    else for (const { name, role } of all) say(`${role.padEnd(12)}${name}`);
    if (all.length === 0 && !json) say('No operators: nobody is asked to sign in.');
    return all.length > 0 ? 0 : 1;
  });

/** Adds an operator; the first one is an owner. */
export async function addOperator(
  name: string,
  { home, owner = false }: PeopleOptions & { owner?: boolean },
): Promise<number> {
  const passphrase = await secretFrom(passphraseVariable, `Passphrase of ${name}`);
  return withHome({ home }, async ({ people, record }) => {
    const role: OperatorRole = owner || !people.asksWho ? 'owner' : 'technician';
    await people.add({ name, role, passphrase });
    record.add('POST /operators', {}, commandLine);
    say(`${name} is ${role === 'owner' ? 'an owner' : 'a technician'} of this bench.`);
    return 0;
  });
}

/** Another passphrase, with which all sessions of that name end. */
export async function changeOperatorPassphrase(name: string, { home }: PeopleOptions): Promise<number> {
  const passphrase = await secretFrom(passphraseVariable, `New passphrase of ${name}`);
  return withHome({ home }, async ({ people, record }) => {
    await people.change(idOf(people, name), { passphrase });
    record.add('PATCH /operators/:id', {}, commandLine);
    say(`${name} has a new passphrase.`);
    return 0;
  });
}

/** @throws Problem 409 where no owner would be left */
export const removeOperator = (name: string, { home }: PeopleOptions): Promise<number> =>
  withHome({ home }, ({ people, record }) => {
    people.end(idOf(people, name));
    record.add('DELETE /operators/:id', {}, commandLine);
    say(`${name} is removed.`);
    return 0;
  });

/**
 * Follows the record from line to line, of a home folder or of an exported file.
 * @param against an earlier export, on which it must go on
 * @returns 0 where nothing was changed, 1 where something was
 */
export function verifyShopRecord({
  home,
  file,
  against,
  json = false,
}: PeopleOptions & { file?: string; against?: string }): Promise<number> {
  const verify = (lines: readonly string[]): number => {
    const found = verifyRecord(lines);
    const continues = against === undefined || goesOn(lines, linesOf(against));
    if (json) say(JSON.stringify({ ...found, continues }, null, 2));
    else if (found.brokenAt === undefined && continues)
      say(`${found.lines} lines, none changed. SHA-256 of the last one: ${found.head}`);
    if (found.brokenAt !== undefined)
      complain(`Line ${found.brokenAt}, or the one before it, is not as it was written.`);
    if (!continues)
      complain('It does not go on where the earlier export ended: lines were changed or removed.');
    return found.brokenAt === undefined && continues ? 0 : 1;
  };
  if (file !== undefined) return Promise.resolve(verify(linesOf(file)));
  return withHome({ home }, ({ record }) => verify([...record.lines()]));
}

/** Writes the record to standard output, a line each. */
export const exportShopRecord = ({ home }: PeopleOptions): Promise<number> =>
  withHome({ home }, ({ record }) => {
    for (const line of record.lines()) say(line);
    return 0;
  });

const linesOf = (path: string): string[] => readFileSync(path, 'utf8').split('\n').filter(Boolean);

/** @throws Error where nobody has that name */
function idOf(people: KeenLarder['people'], name: string): number {
  const found = people.list().find((each) => each.name.toLowerCase() === name.toLowerCase());
  if (!found) throw new Error(`There is no operator “${name}”.`);
  return found.id;
}
