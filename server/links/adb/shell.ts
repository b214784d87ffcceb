import { setTimeout as pause } from 'node:timers/promises';
import type { Adb, AdbSocket } from '@yume-chan/adb';
import { shellHeader, shellIds, ShellParser } from '@keen-larder/core/protocols/adb/shell.ts';
import { against } from '../../async/race-against.ts';
import { FlashFailure, LinkFailure, PhoneRefusal } from '../phone-link.ts';
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
    const socket = await this.open(script);
    const close = closing(socket);
    signal?.addEventListener('abort', close, { once: true });
    let ending: Ending;
    try {
      signal?.throwIfAborted();
      ending = yield* this.listen(socket, signal);
      signal?.throwIfAborted();
    } catch (error) {
      signal?.throwIfAborted();
      throw error instanceof LinkFailure ? error : new LinkFailure(broken(error));
    } finally {
      signal?.removeEventListener('abort', close);
      close();
    }
    const { exitCode, words } = ending;
    if (exitCode === undefined) throw new LinkFailure(broken(new Error('it ended in the middle')));
    // The last command of a pipe ends well even when the first one could not read.
    if (flashError.test(words)) throw new FlashFailure('The phone cannot read its own flash there.');
    if (exitCode !== 0) throw refusal(script, exitCode, words);
  }

  /** Feeds bytes to a command run as root. @throws LinkFailure when it ends with an error or the link breaks */
  async feed(script: string, bytes: AsyncIterable<Uint8Array>, signal?: AbortSignal): Promise<void> {
    const socket = await this.open(script);
    const close = closing(socket);
    signal?.addEventListener('abort', close, { once: true });
    let isOver = false;
    const ended = this.drain(socket).finally(() => (isOver = true));
    ended.catch(() => undefined);
    const orEnded = against<Ending>(ended);
    const writer = socket.writable.getWriter();
    // A command that has ended takes no more bytes, and may not even say so: its last words tell why.
    const put = async (part: Uint8Array) => {
      const written = this.connection.orGone(writer.write(part)).catch(async (error: unknown) => {
        await Promise.race([ended, pause(lastWordsMs, undefined, { ref: false })]).catch(() => undefined);
        if (!isOver) throw error;
      });
      await orEnded(written);
    };
    try {
      for await (const part of bytes) {
        signal?.throwIfAborted();
        if (isOver) break;
        await put(shellHeader(shellIds.stdin, part.length));
        await put(part);
      }
      if (!isOver) await put(shellHeader(shellIds.closeStdin, 0));
      const { exitCode, words } = await ended;
      if (exitCode === 0) return;
      if (exitCode === undefined) throw new LinkFailure(broken(new Error('it ended in the middle')));
      if (flashError.test(words)) {
        throw new FlashFailure('The phone cannot write its own flash there: it is worn. Nothing mends that.');
      }
      throw refusal(script, exitCode, words);
    } catch (error) {
      signal?.throwIfAborted();
      throw isLinkError(error) ? new LinkFailure(broken(error)) : error;
    } finally {
      signal?.removeEventListener('abort', close);
      close();
    }
  }

  /** What a command prints until its end, and how it ended. */
  private async *listen(socket: AdbSocket, signal?: AbortSignal): AsyncGenerator<Uint8Array, Ending> {
    const reader = socket.readable.getReader();
    const cancel = () => void reader.cancel().catch(() => undefined);
    // The reader ends at once; the phone may take its time to hear of it, or be past hearing.
    signal?.addEventListener('abort', cancel, { once: true });
    const parser = new ShellParser();
    const complaint: Uint8Array[] = [];
    let exitCode: number | undefined;
    try {
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
    } finally {
      signal?.removeEventListener('abort', cancel);
      cancel();
    }
    return { exitCode, words: Buffer.concat(complaint).toString() };
  }

  private async drain(socket: AdbSocket): Promise<Ending> {
    const said = this.listen(socket);
    for (;;) {
      const { done, value } = await said.next();
      if (done) return value;
    }
  }

  /** Starts a command as root, its output and its input framed. */
  private async open(script: string): Promise<AdbSocket> {
    const { adb, orGone } = this.connection;
    try {
      return await orGone(adb.createSocket(`shell,v2,raw:${this.rooted(script)}`));
    } catch (error) {
      throw error instanceof LinkFailure ? error : new LinkFailure(broken(error));
    }
  }
}

/** How a command ended; without an exit code, its link did. */
interface Ending {
  readonly exitCode: number | undefined;
  /** What it complained of. */
  readonly words: string;
}

const closing = (socket: AdbSocket) => () => void Promise.resolve(socket.close()).catch(() => undefined);

function shellOf(adb: Adb) {
  const shell = adb.subprocess.shellProtocol;
  if (!shell)
    throw new LinkFailure('This phone’s adb is too old: it cannot tell how a command ends (no shell v2).');
  return shell;
}

const refusal = (script: string, exitCode: number, words: string) =>
  new PhoneRefusal(
    `The phone answered “${words.trim() || `exit code ${exitCode}`}” to “${script.length > 200 ? `${script.slice(0, 200)}…` : script}”.`,
  );

/** How toybox, busybox and others name EIO (strerror of the C libraries). */
const flashError = /\bI\/O error|Input\/output error/;

const broken = (error: unknown) =>
  `The link to the phone broke (${(error as Error).message}). Check the cable, then start again.`;

/** Errors of our own sources (a damaged image) pass through; those of the adb client are link failures. */
const isLinkError = (error: unknown): boolean =>
  error instanceof Error && error.name === 'Error' && !(error instanceof LinkFailure);
