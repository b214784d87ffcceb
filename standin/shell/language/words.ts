import { posix } from 'node:path';
import type { ArithmeticExpression, ParameterExpansionPart, ParsedScript, Word, WordPart } from 'unbash';
import { hasPattern, patternOf, without, type Piece } from './patterns.ts';

export class SyntaxFailure extends Error {}

/** Where the values of a word come from. */
export interface Values {
  value(name: string): string | undefined;
  assign(name: string, value: string): void;
  readonly positional: readonly string[];
  /** What a script prints, without the line feeds at its end. */
  printed(script: ParsedScript): Promise<string>;
  /** Names in a folder, sorted; none where there is no such folder. */
  names(folder: string): Promise<readonly string[]>;
}

type Field = Piece[];

/** What a word stands for (POSIX, Shell Command Language 2.6): several fields, or none. */
export async function fieldsOf(words: readonly Word[], values: Values): Promise<string[]> {
  const found: string[] = [];
  for (const word of words) {
    for (const field of await split(word, values)) {
      const names = hasPattern(field) ? await matching(field, values) : [];
      if (names.length > 0) found.push(...names);
      else found.push(textOf(field));
    }
  }
  return found;
}

/** What a word stands for where it is not split: of an assignment, a redirection, `case`. */
export async function valueOf(word: Word, values: Values): Promise<string> {
  return textOf(await patternPieces(word, values));
}

/** The same, where parts of it may be patterns. */
export async function patternPieces(word: Word, values: Values): Promise<Piece[]> {
  const pieces: Piece[] = [];
  for (const { text, isQuoted, isPattern } of await runsOf(word, values))
    pieces.push({ text, isPattern: isPattern || !isQuoted });
  return pieces;
}

const textOf = (pieces: readonly Piece[]): string => pieces.map(({ text }) => text).join('');

/** A stretch of a word. What is not quoted is split. */
interface Run {
  readonly text: string;
  readonly isQuoted: boolean;
  readonly isPattern?: boolean;
  /** Another field begins here: of `"$@"`. */
  readonly begins?: boolean;
  /** Nothing, and not even a field. */
  readonly isNone?: boolean;
}

async function split(word: Word, values: Values): Promise<Field[]> {
  const fields: Field[] = [];
  let field: Field | undefined;
  const end = () => {
    if (field) fields.push(field);
    field = undefined;
  };
  for (const { text, isQuoted, isPattern = false, begins, isNone } of await runsOf(word, values)) {
    if (begins) end();
    if (isNone) continue;
    if (isQuoted) {
      (field ??= []).push({ text, isPattern });
      continue;
    }
    for (const part of text.split(/([ \t\n]+)/)) {
      if (/^[ \t\n]/.test(part)) end();
      else if (part !== '') (field ??= []).push({ text: part, isPattern: true });
    }
  }
  end();
  return fields;
}

async function runsOf({ parts, value }: Word, values: Values): Promise<Run[]> {
  if (!parts) return [{ text: value, isQuoted: true }];
  const runs: Run[] = [];
  for (const part of parts) runs.push(...(await runsOfPart(part, values, false)));
  return runs;
}

async function runsOfPart(part: WordPart, values: Values, isQuoted: boolean): Promise<Run[]> {
  switch (part.type) {
    case 'Literal':
    case 'SingleQuoted':
    case 'AnsiCQuoted':
      return [{ text: part.value, isQuoted: true }];
    case 'Glob': {
      if (part.kind !== 'bracket') return [{ text: part.text, isQuoted: true, isPattern: true }];
      const within: Run[] = [];
      for (const each of part.parts) within.push(...(await runsOfPart(each, values, true)));
      const text = within.map((run) => run.text).join('');
      return [{ text: `[${text}]`, isQuoted: true, isPattern: true }];
    }
    case 'DoubleQuoted': {
      const runs: Run[] = [];
      for (const child of part.parts) runs.push(...(await runsOfPart(child, values, true)));
      return runs.length > 0 ? runs : [{ text: '', isQuoted: true }];
    }
    case 'SimpleExpansion': {
      const name = part.text.slice(1);
      if (name === '@') {
        const { positional } = values;
        if (positional.length === 0) return [{ text: '', isQuoted, isNone: true }];
        return positional.map((text, i) => ({ text, isQuoted, begins: i > 0 }));
      }
      return [{ text: values.value(name) ?? '', isQuoted }];
    }
    case 'ParameterExpansion':
      return [{ text: await parameter(part, values), isQuoted }];
    case 'CommandExpansion':
      return [{ text: part.script ? await values.printed(part.script) : '', isQuoted }];
    case 'ArithmeticExpansion':
      return [{ text: String(part.expression ? arithmetic(part.expression, values) : 0), isQuoted }];
    default:
      throw new SyntaxFailure(`syntax error: unexpected '${part.text}'`);
  }
}

async function parameter(part: ParameterExpansionPart, values: Values): Promise<string> {
  const { parameter: name, operation, prefix } = part;
  const value = values.value(name);
  if (prefix === '#') return String((value ?? '').length);
  if (prefix === undefined && operation === undefined) return value ?? '';
  if (prefix === undefined && operation?.type === 'Remove')
    return without(value ?? '', await patternPieces(operation.operand, values), operation.operator);
  if (prefix !== undefined || operation?.type !== 'Default')
    throw new SyntaxFailure(`syntax error: bad substitution ${part.text}`);
  const isThere = value !== undefined && !(operation.operator.startsWith(':') && value === '');
  switch (operation.operator.at(-1)) {
    case '+':
      return isThere ? valueOf(operation.operand, values) : '';
    case '=':
      if (!isThere) values.assign(name, await valueOf(operation.operand, values));
      return values.value(name) ?? '';
    case '?':
      if (!isThere) throw new SyntaxFailure(`${name}: parameter null or not set`);
      return value;
    default:
      return isThere ? value : valueOf(operation.operand, values);
  }
}

const operations: Readonly<Record<string, (a: number, b: number) => number>> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => Math.trunc(a / b),
  '%': (a, b) => a % b,
  '<': (a, b) => Number(a < b),
  '>': (a, b) => Number(a > b),
  '<=': (a, b) => Number(a <= b),
  '>=': (a, b) => Number(a >= b),
  '==': (a, b) => Number(a === b),
  '!=': (a, b) => Number(a !== b),
};

function arithmetic(expression: ArithmeticExpression, values: Values): number {
  if (expression.type === 'ArithmeticGroup') return arithmetic(expression.expression, values);
  if (expression.type === 'ArithmeticWord') {
    const { value } = expression;
    const number = /^\d/.test(value) ? value : values.value(value.replace(/^\$\{?|\}$/g, ''));
    return Number(number === undefined || number.trim() === '' ? 0 : number);
  }
  if (expression.type === 'ArithmeticBinary') {
    const work = operations[expression.operator];
    if (work) return work(arithmetic(expression.left, values), arithmetic(expression.right, values));
  }
  throw new SyntaxFailure('syntax error: arithmetic that this shell does not have');
}

/** Paths that a pattern stands for. */
async function matching(field: Field, values: Values): Promise<string[]> {
  const steps: Field[] = [[]];
  for (const { text, isPattern } of field) {
    text.split('/').forEach((part, i) => {
      if (i > 0) steps.push([]);
      if (part !== '') steps.at(-1)!.push({ text: part, isPattern });
    });
  }
  let found = [''];
  for (const [i, step] of steps.entries()) {
    const before = found;
    const join = (path: string, name: string) => (i === 0 ? name : `${path}/${name}`);
    if (!hasPattern(step)) {
      found = before.map((path) => join(path, textOf(step)));
      continue;
    }
    const wanted = new RegExp(`^${patternOf(step, '[^]*')}$`, 'u');
    const takesDots = step[0]!.text.startsWith('.');
    found = [];
    for (const path of before) {
      for (const name of await values.names(i === 0 ? '.' : path || '/')) {
        if (wanted.test(name) && (takesDots || !name.startsWith('.'))) found.push(join(path, name));
      }
    }
  }
  // Behind a pattern there may be a name that is not everywhere.
  const there: string[] = [];
  for (const path of found) {
    const names = await values.names(posix.dirname(path));
    if (names.includes(posix.basename(path))) there.push(path);
  }
  return there;
}
