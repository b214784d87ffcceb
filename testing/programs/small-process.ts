/**
 * Begins the programs of tests in a small process: a worker has a gigabyte after a while, and to begin a program from it takes a
 * tenth of a second, since all of its tables of pages are copied; from a small one it takes three milliseconds.
 */
import childProcess, { spawn, type SpawnSyncOptions, type SpawnSyncReturns } from 'node:child_process';
import { mkdtempSync, openSync, readSync, rmSync, writeSync } from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

type Returned = SpawnSyncReturns<Buffer>;
type Args = readonly string[];

/** What the small process tells of a program. */
interface Told {
  readonly pid: number;
  readonly status: number | null;
  readonly signal: NodeJS.Signals | null;
  readonly fault?: Error;
  readonly outBytes?: number;
  readonly errBytes?: number;
}

class SmallProcess {
  private readonly to: number;
  private readonly from: number;

  constructor() {
    const folder = mkdtempSync(join(tmpdir(), 'keen-larder-programs-'));
    const pipes = [join(folder, 'requests'), join(folder, 'answers')];
    own.execFileSync('mkfifo', pipes);
    const script = join(import.meta.dirname, 'small-process.mjs');
    spawn(process.execPath, [script, ...pipes], { stdio: ['ignore', 'inherit', 'inherit'] }).unref();
    this.to = openSync(pipes[0]!, 'w');
    this.from = openSync(pipes[1]!, 'r');
    rmSync(folder, { recursive: true });
  }

  run(command: string, args: Args, { input, ...options }: SpawnSyncOptions): Returned {
    const bytes =
      input === undefined || input === null
        ? undefined
        : typeof input === 'string'
          ? Buffer.from(input)
          : Buffer.from(input.buffer, input.byteOffset, input.byteLength);
    const cwd = options.cwd === undefined ? process.cwd() : String(options.cwd);
    const all = { ...options, encoding: 'buffer', cwd, env: options.env ?? process.env };
    const head = { command, args, options: all, umask: process.umask(), inputBytes: bytes?.length };
    const line = Buffer.from(JSON.stringify(head));
    const length = Buffer.alloc(4);
    length.writeUInt32LE(line.length);
    this.write(Buffer.concat([length, line]));
    if (bytes) this.write(bytes);
    const told = JSON.parse(this.read(this.read(4).readUInt32LE()).toString()) as Told;
    const { pid, status, signal, fault } = told;
    const stdout = told.outBytes === undefined ? null : this.read(told.outBytes);
    const stderr = told.errBytes === undefined ? null : this.read(told.errBytes);
    const error = fault && Object.assign(new Error(fault.message), fault);
    const found = { pid, status, signal, stdout, stderr, output: [null, stdout, stderr] } as Returned;
    return error ? { ...found, error } : found;
  }

  private write(bytes: Uint8Array): void {
    for (let done = 0; done < bytes.length;) done += writeSync(this.to, bytes, done);
  }

  private read(bytes: number): Buffer {
    const all = Buffer.allocUnsafeSlow(bytes);
    for (let had = 0; had < bytes;) {
      const more = readSync(this.from, all, had, bytes - had, null);
      if (more === 0) throw new Error('The process that begins programs has ended.');
      had += more;
    }
    return all;
  }
}

const own = { spawnSync: childProcess.spawnSync, execFileSync: childProcess.execFileSync };
let small: SmallProcess | undefined;

/** Whether descriptors of this process are handed on. */
const handsOn = (stdio: SpawnSyncOptions['stdio']): boolean =>
  Array.isArray(stdio) &&
  stdio.some((each) => typeof each === 'number' || (typeof each === 'object' && each !== null));

function optionsOf(args: unknown, options: unknown): [Args, SpawnSyncOptions] {
  const [list, rest] = Array.isArray(args) ? [args as Args, options] : [[], args ?? options];
  return [list, (rest ?? {}) as SpawnSyncOptions];
}

function texts(found: Returned, encoding: SpawnSyncOptions['encoding']): SpawnSyncReturns<string | Buffer> {
  if (!encoding || encoding === 'buffer') return found;
  const text = (bytes: Buffer | null) => bytes?.toString(encoding) ?? null;
  const [stdout, stderr] = [text(found.stdout), text(found.stderr)];
  return { ...found, stdout, stderr, output: [null, stdout, stderr] } as SpawnSyncReturns<string>;
}

function spawnSync(command: string, args?: unknown, given?: unknown) {
  const [list, options] = optionsOf(args, given);
  if (handsOn(options.stdio)) return own.spawnSync(command, list, options);
  small ??= new SmallProcess();
  return texts(small.run(command, list, options), options.encoding);
}

/** @throws Error as Node's own where it does not end well */
function execFileSync(command: string, args?: unknown, given?: unknown) {
  const [list, options] = optionsOf(args, given);
  const found = spawnSync(command, list, options);
  const { error, status, stderr, stdout } = found;
  if (!options.stdio && stderr && stderr.length > 0) process.stderr.write(stderr);
  if (error) throw Object.assign(error, found);
  if (status === 0) return stdout;
  const words = `Command failed: ${[command, ...list].join(' ')}`;
  throw Object.assign(new Error(stderr && stderr.length > 0 ? `${words}\n${String(stderr)}` : words), found);
}

// Once for each worker; what was imported before calls these as well.
if (!('isSmall' in own.spawnSync)) {
  Object.assign(childProcess, {
    spawnSync: Object.assign(spawnSync, { isSmall: true }),
    execFileSync,
  });
  syncBuiltinESMExports();
}
