import type { Redirection } from 'unbash';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { readMounted } from '../files.ts';
import { complain, resolvePath, type Process } from '../host.ts';
import { writeFile } from '../tree/change.ts';
import { turnsOf } from '../turns.ts';
import { Input } from './input.ts';
import { SyntaxFailure, valueOf, type Values } from './words.ts';

export type Writer = (bytes: Uint8Array) => Promise<void>;

/** What a command reads, and where what it prints goes, by descriptor. */
export interface Io {
  readonly stdin: Input;
  readonly outputs: ReadonlyMap<number, Writer>;
}

export const nowhere: Writer = () => Promise.resolve();

/** What some redirections come to. */
interface Opened {
  readonly io: Io;
  /** Writes what came for files. @returns the code of the first that could not be written, else 0 */
  close(): Promise<number>;
}

/**
 * Does what redirections say (POSIX, Shell Command Language 2.7), in their order.
 * @param process whose complaints go where they went before
 * @returns an exit code where one cannot be done
 * @throws SyntaxFailure for one that this shell does not have
 */
export async function open(
  redirections: readonly Redirection[],
  io: Io,
  process: Process,
  values: Values,
): Promise<Opened | number> {
  const outputs = new Map(io.outputs);
  let { stdin } = io;
  const files: (() => Promise<number>)[] = [];
  for (const each of redirections) {
    if (each.type === 'HereDoc') {
      const { body } = each;
      const text = body.parts
        ? await valueOf({ ...body, type: 'Word', value: body.text, parts: body.parts }, values)
        : each.delimiter?.quoted
          ? body.text
          : body.text.replace(/\\([\\$`])/g, '$1');
      stdin = new Input(onePiece(Buffer.from(text)));
      continue;
    }
    if (each.type !== 'Redirect' || !each.target || each.descriptor?.type === 'FileDescriptorVariable')
      throw new SyntaxFailure(`syntax error: unexpected '${each.operator}'`);
    const target = await valueOf(each.target, values);
    const { operator } = each;
    const descriptor = each.descriptor?.value ?? 1;
    if (operator === '<') {
      const found = target === '/dev/null' ? onePiece(new Uint8Array(0)) : await wholeFile(process, target);
      if (typeof found === 'string') return complain(process, 'sh', `can't open ${target}: ${found}`);
      stdin = new Input(found);
    } else if (operator === '>&') {
      const writer = outputs.get(Number(target));
      if (!writer) return complain(process, 'sh', `${target}: bad file descriptor`);
      outputs.set(descriptor, writer);
    } else if (operator !== '>' && operator !== '>>') {
      throw new SyntaxFailure(`syntax error: unexpected '${operator}'`);
    } else if (target === '/dev/null') outputs.set(descriptor, nowhere);
    else {
      const parts: Uint8Array[] = [];
      outputs.set(descriptor, (bytes) => Promise.resolve(void parts.push(bytes.slice())));
      files.push(() => writeFile(process, target, () => Buffer.concat(parts), operator === '>>'));
    }
  }
  return {
    io: { stdin, outputs },
    async close() {
      let code = 0;
      for (const write of files) code ||= await write();
      return code;
    },
  };
}

/** Before what reads it can change the file system that it lies in. */
function wholeFile({ host, uid, cwd }: Process, path: string): Promise<AsyncIterable<Uint8Array> | string> {
  return turnsOf(host).reading(async () => {
    const found = await readMounted(host, resolvePath(cwd, path), uid);
    if (typeof found === 'string') return found;
    const parts: Uint8Array[] = [];
    for await (const part of found) parts.push(part.slice());
    return onePiece(Buffer.concat(parts));
  });
}
