import { deviceDigest } from '../flash/content-digests.ts';
import { pieceOf } from './dd.ts';
import { deviceAt, type ShellHost } from './host.ts';
import type { Simple } from './parse.ts';

/**
 * What `dd … 2>/dev/null | md5sum` prints of a piece of a block device. A phone has processors of its own: while nothing is wrong with
 * its flash, such a piece is not carried through a pipe, and what is recognised is not digested again.
 * @returns undefined where the commands are other ones
 */
export function printedPiece(
  commands: readonly Simple[],
  host: ShellHost,
  uid: number,
): (() => Promise<string>) | undefined {
  const [reading, digesting, ...more] = commands;
  if (uid !== 0 || more.length > 0 || !reading?.dropErr || reading.dropOut) return undefined;
  const [tool, ...paths] = digesting?.words ?? [];
  if ((tool !== 'md5sum' && tool !== 'sha256sum') || paths.length > 0 || digesting!.dropOut) return undefined;
  const [name, ...args] = reading.words;
  const piece = name === 'dd' ? pieceOf(args) : undefined;
  const device = piece && deviceAt(host, piece.path);
  const isWithin = device && piece.offset + piece.bytes <= device.bytes;
  if (!isWithin || host.flash.faults.names.length > 0) return undefined;
  return async () => `${await deviceDigest(device, piece, tool.slice(0, -'sum'.length))}  -\n`;
}
