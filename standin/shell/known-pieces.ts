import type { CommandNode } from 'unbash';
import { deviceDigest } from '../flash/content-digests.ts';
import { pieceOf } from './dd.ts';
import { deviceAt, type ShellHost } from './host.ts';

/**
 * What `dd … 2>/dev/null | md5sum` prints of a piece of a block device. A phone has processors of its own: while nothing is wrong with
 * its flash, such a piece is not carried through a pipe, and what is recognised is not digested again.
 * @returns undefined where the commands are other ones
 */
export function printedPiece(
  commands: readonly CommandNode[],
  host: ShellHost,
  uid: number,
): (() => Promise<string>) | undefined {
  if (uid !== 0 || commands.length !== 2) return undefined;
  const [reading, digesting] = commands.map(wordsOf);
  if (!reading?.isQuiet || !digesting || digesting.isQuiet) return undefined;
  const [tool, ...paths] = digesting.words;
  if ((tool !== 'md5sum' && tool !== 'sha256sum') || paths.length > 0) return undefined;
  const [name, ...args] = reading.words;
  const piece = name === 'dd' ? pieceOf(args) : undefined;
  const device = piece && deviceAt(host, piece.path);
  const isWithin = device && piece.offset + piece.bytes <= device.bytes;
  if (!isWithin || host.flash.faults.names.length > 0) return undefined;
  return async () => `${await deviceDigest(device, piece, tool.slice(0, -'sum'.length))}  -\n`;
}

/** A command of plain words, whose complaints may go nowhere; undefined where it has anything else. */
function wordsOf(node: CommandNode): { readonly words: string[]; readonly isQuiet: boolean } | undefined {
  if (node.type !== 'Command' || !node.name || node.prefix.length > 0) return undefined;
  const [redirect, ...more] = node.redirects;
  const isQuiet =
    redirect?.type === 'Redirect' &&
    redirect.operator === '>' &&
    redirect.descriptor?.type === 'FileDescriptor' &&
    redirect.descriptor.value === 2 &&
    redirect.target?.value === '/dev/null';
  if (more.length > 0 || (redirect && !isQuiet)) return undefined;
  const words: string[] = [];
  for (const word of [node.name, ...node.args]) {
    const isPlain =
      word.type === 'Word' &&
      (word.parts ?? []).every(({ type }) => type === 'Literal' || type === 'SingleQuoted');
    if (!isPlain) return undefined;
    words.push(word.value);
  }
  return { words, isQuiet };
}
