import { complain, resolvePath, type Process } from '../host.ts';
import { fileAt } from '../tree/look.ts';
import type { Input } from './input.ts';
import { Leaving, type Scope } from './scope.ts';

/** What a shell does itself, since it changes what it knows. */
export type Builtin = (
  process: Process & { readonly stdin: Input },
  scope: Scope,
) => Promise<number> | number;

const leave =
  (by: Leaving['by'], otherwise: (scope: Scope) => number): Builtin =>
  ({ args }, scope) => {
    throw new Leaving(by, args[0] === undefined ? otherwise(scope) : Number(args[0]));
  };

const assign: Builtin = ({ args }, scope) => {
  for (const each of args) {
    const at = each.indexOf('=');
    if (at > 0) scope.assign(each.slice(0, at), each.slice(at + 1));
  }
  return 0;
};

/** `read [-r] NAME…`: the last has all that is left of the line. */
const read: Builtin = async ({ args, stdin }, scope) => {
  const names = args.filter((arg) => arg !== '-r');
  const line = await stdin.line();
  let rest = (line ?? '').replace(/^[ \t]+|[ \t]+$/g, '');
  for (const [i, name] of names.entries()) {
    const [, word = '', after = ''] = /^([^ \t]*)[ \t]*([^]*)$/.exec(rest)!;
    scope.assign(name, i === names.length - 1 ? rest : word);
    rest = after;
  }
  return line === undefined ? 1 : 0;
};

const set: Builtin = ({ args }, scope) => {
  if (args[0] === '--') scope.positional = args.slice(1);
  return 0;
};

const shift: Builtin = ({ args }, scope) => {
  scope.positional = scope.positional.slice(Number(args[0] ?? 1));
  return 0;
};

const numbers: Readonly<Record<string, (a: number, b: number) => boolean>> = {
  '-eq': (a, b) => a === b,
  '-ne': (a, b) => a !== b,
  '-lt': (a, b) => a < b,
  '-le': (a, b) => a <= b,
  '-gt': (a, b) => a > b,
  '-ge': (a, b) => a >= b,
};

/** What a test of one word finds. */
async function isSo(process: Process, operator: string, word: string): Promise<boolean | undefined> {
  if (operator === '-n') return word !== '';
  if (operator === '-z') return word === '';
  if (!/^-[bdefhLrswx]$/.test(operator)) return undefined;
  const isOfLink = operator === '-h' || operator === '-L';
  const file = word === '' ? undefined : await fileAt(process, word, isOfLink);
  if (!file) return false;
  if (isOfLink) return file.type === 'link';
  if (operator === '-b') return file.type === 'device';
  if (operator === '-d') return file.type === 'directory';
  if (operator === '-f') return file.type === 'file';
  return operator === '-s' ? file.bytes > 0 : true;
}

/** `test` and `[` (POSIX), without `-a` and `-o`. */
const test: Builtin = async (process) => {
  const answer = async (words: readonly string[]): Promise<boolean | undefined> => {
    const [first, second, third] = words;
    if (first === '!' && words.length > 1) {
      const other = await answer(words.slice(1));
      return other === undefined ? undefined : !other;
    }
    if (words.length <= 1) return first !== undefined && first !== '';
    if (words.length === 2) return isSo(process, first!, second!);
    if (words.length > 3) return undefined;
    if (second === '=' || second === '!=') return (first === third) === (second === '=');
    const work = numbers[second!];
    if (!work || !/^-?\d+$/.test(first!) || !/^-?\d+$/.test(third!)) return undefined;
    return work(Number(first), Number(third));
  };
  const found = await answer(process.args);
  if (found !== undefined) return found ? 0 : 1;
  await complain(process, 'test', `${process.args.join(' ')}: bad expression`);
  return 2;
};

export const builtins: Readonly<Record<string, Builtin>> = {
  ':': () => 0,
  '[': (process, scope) =>
    process.args.at(-1) === ']'
      ? test({ ...process, args: process.args.slice(0, -1) }, scope)
      : complain(process, '[', 'missing ]'),
  break: leave('break', () => 1),
  cd({ args }, scope) {
    scope.cwd = resolvePath(scope.cwd, args[0] ?? '/');
    return 0;
  },
  continue: leave('continue', () => 1),
  exit: leave('exit', ({ code }) => code),
  export: assign,
  local: assign,
  read,
  return: leave('return', ({ code }) => code),
  set,
  shift,
  test,
  unset({ args }, scope) {
    for (const name of args) scope.variables.delete(name);
    return 0;
  },
};
