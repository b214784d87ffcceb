// What a power cut leaves of a folder, by what a program did to it and what it made durable (POSIX, fsync(2)).
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';

/** A set as the program said that it is kept. */
export interface KeptSet {
  readonly label: string;
  readonly note: string;
  /** Of `filler`, with its length: what its image holds. */
  readonly seed: number;
  readonly bytes: number;
}

/** What the program said before and after each act: what is kept now, and which sets the act is about. */
export interface Told {
  readonly sets: Readonly<Record<string, KeptSet>>;
  readonly touched: readonly string[];
}
export const toldFile = 'told.jsonl';

const names = ['create', 'truncate', 'write', 'sync', 'rename', 'unlink', 'mkdir', 'rmdir', 'link'] as const;
export interface Change {
  readonly op: (typeof names)[number];
  readonly inode: number;
  readonly offset: number;
  readonly path: string;
  /** Bytes written, or the second path. */
  readonly more: Buffer;
}

/**
 * Runs a program with the journal preloaded.
 * @param scratch a folder for the journal and its library @param root the folder that is watched
 */
export function journalOf(scratch: string, root: string, program: readonly string[]): Change[] {
  const library = join(scratch, 'journal.so');
  const source = join(import.meta.dirname, 'journal.c');
  execFileSync('cc', ['-O1', '-shared', '-fPIC', '-o', library, source, '-ldl', '-pthread']);
  mkdirSync(root, { recursive: true });
  const journal = join(scratch, `${basename(root)}.journal`);
  execFileSync(process.execPath, program, {
    env: { ...process.env, LD_PRELOAD: library, JOURNAL_ROOT: root, JOURNAL_FILE: journal },
    stdio: ['ignore', 'ignore', 'inherit'],
  });
  const bytes = readFileSync(journal);
  const changes: Change[] = [];
  for (let at = 0; at < bytes.length;) {
    const [first, second] = [bytes.readUInt32LE(at + 17), bytes.readUInt32LE(at + 21)];
    const end = at + 25 + first;
    changes.push({
      op: names[bytes[at]! - 1]!,
      inode: Number(bytes.readBigUInt64LE(at + 1)),
      offset: Number(bytes.readBigUInt64LE(at + 9)),
      path: bytes.toString('utf8', at + 25, end),
      more: bytes.subarray(end, end + second),
    });
    at = end + second;
  }
  return changes;
}

/** What the program had said at a moment, and what it was about. */
export function toldAt(changes: readonly Change[], moment: number): Told | undefined {
  const text = contentsOf(
    changes.slice(0, moment).filter(({ inode }) => inode === inodeOf(changes, toldFile)),
  ).toString('utf8');
  const last = text.trimEnd().split('\n').at(-1);
  return last ? (JSON.parse(last) as Told) : undefined;
}

const inodeOf = (changes: readonly Change[], name: string) =>
  changes.find(({ op, path }) => op === 'create' && basename(path) === name)?.inode;

/** What a file holds after changes of its own. */
function contentsOf(changes: readonly Change[]): Buffer {
  let bytes = Buffer.alloc(0);
  for (const { op, offset, more } of changes) {
    const end =
      op === 'truncate'
        ? offset
        : op === 'write'
          ? Math.max(bytes.length, offset + more.length)
          : bytes.length;
    if (end !== bytes.length) {
      const next = Buffer.alloc(end);
      bytes.copy(next);
      bytes = next;
    }
    if (op === 'write') more.copy(bytes, offset);
  }
  return bytes;
}

/**
 * How much of what was not made durable is there: all of it, in order; nothing of it; or of each change either, of a
 * write a part as well.
 */
export type Luck = 'all' | 'none' | 'some';

/** Files of the folder after the power went, by their paths. */
export function afterPowerCut(
  changes: readonly Change[],
  moment: number,
  luck: Luck,
  number: (below: number) => number,
): Map<string, Buffer> {
  const past = changes.slice(0, moment);
  /** Where each file and folder was last made durable: what came before is there for certain. */
  const durable = new Map<number | string, number>();
  for (const [at, { op, inode, path }] of past.entries()) {
    if (op !== 'sync') continue;
    durable.set(inode, at);
    durable.set(path, at);
  }
  const isThere = (of: number | string, at: number) =>
    luck === 'all' || (durable.get(of) ?? -1) > at || (luck === 'some' && number(2) === 0);

  const own = new Map<number, Change[]>();
  const found = new Map<string, number>();
  const folders = new Set<string>();
  for (const [at, change] of past.entries()) {
    const { op, inode, path, more } = change;
    const to = more.toString('utf8');
    switch (op) {
      case 'create':
        own.set(inode, []);
        if (isThere(dirname(path), at)) found.set(path, inode);
        break;
      case 'write':
        if (isThere(inode, at)) own.get(inode)?.push(change);
        else if (luck === 'some' && number(2) === 0)
          own.get(inode)?.push({ ...change, more: more.subarray(0, number(more.length)) });
        break;
      case 'truncate':
        if (isThere(inode, at)) own.get(inode)?.push(change);
        break;
      case 'rename':
      case 'link':
        if (found.has(path) && isThere(dirname(to), at)) {
          found.set(to, found.get(path)!);
          if (op === 'rename') found.delete(path);
        }
        break;
      case 'unlink':
        if (isThere(dirname(path), at)) found.delete(path);
        break;
      case 'mkdir':
        if (isThere(dirname(path), at)) folders.add(path);
        break;
      case 'rmdir':
        if (isThere(dirname(path), at)) folders.delete(path);
        break;
      case 'sync':
        break;
    }
  }
  const made = new Set(past.filter(({ op }) => op === 'mkdir').map(({ path }) => path));
  /** Of a folder that was made meanwhile the way to it must be there as well. */
  const isReached = (path: string): boolean =>
    !made.has(path) || (folders.has(path) && isReached(dirname(path)));
  const reached = [...found].filter(([path]) => isReached(dirname(path)));
  return new Map(reached.map(([path, inode]) => [path, contentsOf(own.get(inode) ?? [])]));
}

/** Lays files where they would lie below another root. */
export function layOut(files: ReadonlyMap<string, Buffer>, from: string, to: string): void {
  for (const [path, bytes] of files) {
    const target = join(to, path.slice(from.length));
    mkdirSync(dirname(target), { recursive: true });
    writeFileSync(target, bytes);
  }
}
