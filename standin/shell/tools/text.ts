import { complain, print, resolvePath, type Command, type Process } from '../host.ts';
import { readMounted } from '../files.ts';
import { textOf } from '../language/input.ts';
import { turnsOf } from '../turns.ts';

/** The lines of the files named, or of what comes in; undefined where one cannot be read, and that is said. */
async function linesOf(
  process: Process,
  name: string,
  paths: readonly string[],
): Promise<string[] | undefined> {
  const texts: string[] = [];
  for (const path of paths) {
    const found = await turnsOf(process.host).reading(async () => {
      const bytes = await readMounted(process.host, resolvePath(process.cwd, path), process.uid);
      return typeof bytes === 'string' ? { why: bytes } : textOf(bytes);
    });
    if (typeof found === 'string') texts.push(found);
    else {
      await complain(process, name, `${path}: ${found.why}`);
      return undefined;
    }
  }
  if (paths.length === 0) texts.push(await textOf(process.stdin));
  const lines = texts.join('').split('\n');
  if (lines.at(-1) === '') lines.pop();
  return lines;
}

const printLines = async (process: Process, lines: readonly string[]): Promise<number> => {
  if (lines.length > 0) await print(process, `${lines.join('\n')}\n`);
  return 0;
};

/** `cut -d C -f N [FILE…]` */
export const cut: Command = async (process) => {
  const [d, separator = '\t', f, field = '', ...paths] = process.args;
  if (d !== '-d' || f !== '-f' || !/^\d+$/.test(field))
    return complain(process, 'cut', 'usage: cut -d C -f N');
  const lines = await linesOf(process, 'cut', paths);
  if (!lines) return 1;
  return printLines(
    process,
    lines.map((line) => (line.includes(separator) ? (line.split(separator)[Number(field) - 1] ?? '') : line)),
  );
};

const firstOrLast =
  (name: string, take: (lines: readonly string[], count: number) => readonly string[]): Command =>
  async (process) => {
    const [option, count = '10', ...paths] = process.args[0] === '-n' ? process.args : ['', ...process.args];
    const lines = await linesOf(process, name, option === '-n' ? paths : process.args);
    return lines ? printLines(process, take(lines, option === '-n' ? Number(count) : 10)) : 1;
  };
export const head = firstOrLast('head', (lines, count) => lines.slice(0, count));
export const tail = firstOrLast('tail', (lines, count) => (count > 0 ? lines.slice(-count) : []));

/** `sort [FILE…]`, by bytes. */
export const sort: Command = async (process) => {
  const lines = await linesOf(process, 'sort', process.args);
  if (!lines) return 1;
  return printLines(
    process,
    lines.sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b))),
  );
};

/** `wc -c` and `wc -l` of what comes in. */
export const wc: Command = async (process) => {
  const [option, ...more] = process.args;
  if ((option !== '-c' && option !== '-l') || more.length > 0)
    return complain(process, 'wc', 'usage: wc -c|-l');
  let count = 0;
  for await (const part of process.stdin)
    count += option === '-c' ? part.length : part.reduce((sum, byte) => sum + Number(byte === 0x0a), 0);
  await print(process, `${count}\n`);
  return 0;
};

/** A basic regular expression (POSIX 9.3) as one of JavaScript: there a bracket is one where a backslash stands before it. */
const regularExpression = (basic: string): RegExp =>
  new RegExp(
    basic.replace(/\\(.)|\[(?:\^?\]?[^\]]*)\]|[(){}|+?]/g, (each: string, behind: string | undefined) => {
      if (behind !== undefined) return '(){}'.includes(behind) ? behind : each;
      return each.startsWith('[') ? each : `\\${each}`;
    }),
  );

/** `sed [-n] s/RE/TEXT/[g][p] [FILE…]` */
export const sed: Command = async (process) => {
  const isQuiet = process.args[0] === '-n';
  const [script = '', ...paths] = process.args.slice(isQuiet ? 1 : 0);
  const [, from, to, flags] = /^s\/((?:[^\\/]|\\.)*)\/((?:[^\\/]|\\.)*)\/([gp]*)$/.exec(script) ?? [];
  if (from === undefined) return complain(process, 'sed', `bad pattern '${script}'`);
  const lines = await linesOf(process, 'sed', paths);
  if (!lines) return 1;
  const wanted = regularExpression(from);
  const every = new RegExp(wanted, flags!.includes('g') ? 'g' : '');
  const text = to!.replace(/\$/g, '$$$$').replace(/\\(\d)/g, '$$$1');
  const found: string[] = [];
  for (const line of lines) {
    const isFound = wanted.test(line);
    const changed = line.replace(every, text);
    if (!isQuiet) found.push(changed);
    if (isFound && flags!.includes('p')) found.push(changed);
  }
  return printLines(process, found);
};

/** `grep [-q] [-x] [-F] [-v] [--] RE [FILE…]` */
export const grep: Command = async (process) => {
  const at = process.args.findIndex((arg) => arg === '--' || !arg.startsWith('-'));
  const options = process.args.slice(0, at).join('');
  const [wanted = '', ...paths] = process.args.slice(process.args[at] === '--' ? at + 1 : at);
  const lines = await linesOf(process, 'grep', paths);
  if (!lines) return 2;
  const expression = options.includes('F')
    ? new RegExp(wanted.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
    : regularExpression(wanted);
  const isWanted = (line: string): boolean => {
    const match = expression.exec(line);
    return (match !== null && (!options.includes('x') || match[0] === line)) !== options.includes('v');
  };
  const found = lines.filter(isWanted);
  if (!options.includes('q')) await printLines(process, found);
  return found.length > 0 ? 0 : 1;
};
