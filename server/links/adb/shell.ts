import { setTimeout as pause } from 'node:timers/promises';
import type { Adb } from '@yume-chan/adb';
import { shellIds, ShellParser } from '@keen-larder/core/protocols/adb/shell.ts';
import { FlashFailure, LinkFailure } from '../phone-link.ts';
import type { AdbConnection } from './connect.ts';

/** A command's end comes a moment after the end of what it reads. */
const lastWordsMs = 300;

export interface CommandResult {
  readonly stdout: string;
  readonly stderr: string;
  readonly exitCode: number;
}

/** Quotes a word for the phone's shell. */
export const quote = (word: string): string => `'${word.replaceAll("'", `'\\''`)}'`;

/** Runs commands on the phone and tells apart what it says, what it complains of and how it ends. */
export class AdbShell {
  private asRoot = (script: string) => script;

  /** Whether commands can run as root; known after `findRoot`. */
  root = false;

  constructor(private readonly connection: AdbConnection) {}

  /** Finds out how to become root: the daemon may be, otherwise `su` is tried. */
  async findRoot(): Promise<boolean> {
    const plain = await this.run('id -u');
    if (plain.stdout.trim() === '0') {
      this.root = true;
      return true;
    }
    const su = await this.run(`su -c ${quote('id -u')}`);
    this.root = su.exitCode === 0 && su.stdout.trim() === '0';
    if (this.root) this.asRoot = (script) => `su -c ${quote(script)}`;
    return this.root;
  }

  /** The script as it must be given to run as root. */
  rooted(script: string): string {
    return this.asRoot(script);
  }

  async run(script: string): Promise<CommandResult> {
    try {
      const { adb, orGone } = this.connection;
      return await orGone(shellOf(adb).spawnWaitText(script));
    } catch (error) {
      if (error instanceof LinkFailure) throw error;
      throw new LinkFailure(broken(error));
    }
  }

  /** Runs as root. @throws LinkFailure with the phone's own words when it ends with an error */
  async must(script: string): Promise<string> {
    const { stdout, stderr, exitCode } = await this.run(this.rooted(script));
    if (exitCode !== 0) throw refusal(script, exitCode, stderr || stdout);
    return stdout;
  }

  /**
   * Streams what a command prints, run as root. A piece is good until the next one is asked for.
   * @throws LinkFailure when it ends with an error or the link breaks
   */
  async *stream(script: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
    const socket = await this.open(`shell,v2,raw:${this.rooted(script)}`);
    const reader = socket.readable.getReader();
    // The reader ends at once; the phone may take its time to hear of it, or be past hearing.
    const end = () => {
      reader.cancel().catch(() => undefined);
      void Promise.resolve(socket.close()).catch(() => undefined);
    };
    signal?.addEventListener('abort', end, { once: true });
    const parser = new ShellParser();
    const complaint: Uint8Array[] = [];
    let exitCode: number | undefined;
    try {
      signal?.throwIfAborted();
      for (;;) {
        const { done, value } = await this.connection.orGone(reader.read());
        if (done) break;
        for (const { id, data } of parser.push(value)) {
          if (id === shellIds.stdout) yield data;
          else if (id === shellIds.stderr) complaint.push(data.slice());
          else if (id === shellIds.exit) exitCode = data[0];
        }
        this.connection.pool.giveBack(value);
      }
      signal?.throwIfAborted();
    } catch (error) {
      signal?.throwIfAborted();
      throw error instanceof LinkFailure ? error : new LinkFailure(broken(error));
    } finally {
      signal?.removeEventListener('abort', end);
      end();
    }
    if (exitCode === undefined) throw new LinkFailure(broken(new Error('it ended in the middle')));
    const words = Buffer.concat(complaint).toString();
    // The last command of a pipe ends well even when the first one could not read.
    if (flashError.test(words)) throw new FlashFailure('The phone cannot read its own flash there.');
    if (exitCode !== 0) throw refusal(script, exitCode, words);
  }

  /** Feeds bytes to a command run as root. @throws LinkFailure when it ends with an error or the link breaks */
  async feed(script: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    const process = await this.spawn(script);
    const abort = () => void process.kill();
    signal?.addEventListener('abort', abort, { once: true });
    let exited = false;
    const exit = process.exited.then(
      () => (exited = true),
      () => (exited = true),
    );
    // A command that has ended takes no more bytes, and may not even say so: its last words tell why.
    const unlessExited = async (work: Promise<unknown>) => {
      const orExit = this.connection.orGone(work).catch(async (error: unknown) => {
        await Promise.race([exit, pause(lastWordsMs, undefined, { ref: false })]);
        if (!exited) throw error;
      });
      await Promise.race([orExit, exit]);
    };
    const complaint = textOf(process.stderr);
    void textOf(process.stdout);
    try {
      const writer = process.stdin.getWriter();
      for await (const part of bytes) {
        signal?.throwIfAborted();
        if (exited) break;
        await unlessExited(writer.write(part));
      }
      if (!exited) await unlessExited(writer.close());
      const exitCode = await this.connection.orGone(process.exited);
      if (exitCode === 0) return;
      const words = await complaint;
      if (flashError.test(words)) {
        throw new FlashFailure('The phone cannot write its own flash there: it is worn. Nothing mends that.');
      }
      throw refusal(script, exitCode, words);
    } catch (error) {
      signal?.throwIfAborted();
      throw isLinkError(error) ? new LinkFailure(broken(error)) : error;
    } finally {
      signal?.removeEventListener('abort', abort);
      void Promise.resolve(process.kill()).catch(() => undefined);
    }
  }

  private async spawn(script: string) {
    const { adb, orGone } = this.connection;
    try {
      return await orGone(shellOf(adb).spawn(this.rooted(script)));
    } catch (error) {
      throw error instanceof LinkFailure ? error : new LinkFailure(broken(error));
    }
  }

  private async open(service: string) {
    const { adb, orGone } = this.connection;
    try {
      return await orGone(adb.createSocket(service));
    } catch (error) {
      throw error instanceof LinkFailure ? error : new LinkFailure(broken(error));
    }
  }
}

function shellOf(adb: Adb) {
  const shell = adb.subprocess.shellProtocol;
  if (!shell)
    throw new LinkFailure('This phone’s adb is too old: it cannot tell how a command ends (no shell v2).');
  return shell;
}

const refusal = (script: string, exitCode: number, words: string) =>
  new LinkFailure(
    `The phone answered “${words.trim() || `exit code ${exitCode}`}” to “${script.length > 200 ? `${script.slice(0, 200)}…` : script}”.`,
  );

/** How toybox, busybox and others name EIO (strerror of the C libraries). */
const flashError = /\bI\/O error|Input\/output error/;

const broken = (error: unknown) =>
  `The link to the phone broke (${(error as Error).message}). Check the cable, then start again.`;

/** Errors of our own sources (a damaged image) pass through; those of the adb client are link failures. */
const isLinkError = (error: unknown): boolean =>
  error instanceof Error && error.name === 'Error' && !(error instanceof LinkFailure);

async function textOf(stream: {
  getReader(): { read(): Promise<{ done: boolean; value?: Uint8Array | undefined }> };
}): Promise<string> {
  const reader = stream.getReader();
  const parts: Uint8Array[] = [];
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      parts.push(value!);
    }
  } catch {
    // The link broke; what was said until then is still worth telling.
  }
  return Buffer.concat(parts).toString();
}
