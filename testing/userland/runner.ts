import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { connect } from 'node:net';
import { shellIds, ShellParser } from '@keen-larder/core/protocols/adb/shell.ts';
import type { Streams } from '@keen-larder/standin/shell/host.ts';
import { compiled } from './compiled.ts';

/** Runs command lines by `runner.c`, in a process that is small: a large one takes long to begin another. */
export class Runner {
  private constructor(
    private readonly process: ChildProcess,
    private readonly path: string,
  ) {}

  /** @param path of a socket to be made @param words before each command line */
  static async start(path: string, words: readonly string[]): Promise<Runner> {
    const process = spawn(compiled('runner.c'), [path, ...words], { stdio: ['ignore', 'pipe', 'inherit'] });
    await Promise.race([
      once(process.stdout, 'data'),
      once(process, 'close').then(() => {
        throw new Error(`no command can be run at ${path}`);
      }),
    ]);
    return new Runner(process, path);
  }

  /** Runs a command line; resolves to its exit code. */
  readonly run = async (script: string, streams: Streams): Promise<number> => {
    const socket = connect({ path: this.path, allowHalfOpen: true });
    // It goes away with the phone, also in the middle.
    socket.on('error', () => undefined);
    let wake: () => void = () => undefined;
    for (const sign of ['drain', 'close']) socket.on(sign, () => wake());
    const line = Buffer.from(script);
    const length = Buffer.alloc(4);
    length.writeUInt32LE(line.length);
    socket.write(Buffer.concat([length, line]));
    const fed = (async () => {
      for await (const part of streams.stdin) {
        if (socket.destroyed) return;
        if (!socket.write(Buffer.from(part))) await new Promise<void>((resolve) => (wake = resolve));
      }
    })();
    void fed.catch(() => undefined).finally(() => socket.end());
    const parser = new ShellParser();
    let code = 128;
    try {
      for await (const payload of socket as AsyncIterable<Uint8Array>)
        for (const { id, data } of parser.push(payload)) {
          if (id === shellIds.stdout) await streams.out(data);
          else if (id === shellIds.stderr) await streams.err(Buffer.from(data).toString());
          else if (id === shellIds.exit) code = data[0]!;
        }
    } catch {
      // The host has gone, or the phone.
    } finally {
      socket.destroy();
    }
    return code;
  };

  async close(): Promise<void> {
    this.process.kill('SIGKILL');
    if (this.process.exitCode === null && this.process.signalCode === null) await once(this.process, 'close');
  }
}
