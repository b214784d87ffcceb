import { setTimeout as pause } from 'node:timers/promises';
import type { AdbSocket } from '@yume-chan/adb';
import { shellIds } from '@keen-larder/core/protocols/adb/shell.ts';
import { BothEnds } from '@keen-larder/core/bytes/both-ends.ts';
import { utf8 } from '@keen-larder/core/bytes/text.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { raceAgainst } from '../../async/race-against.ts';
import { FlashFailure, LinkFailure, PhoneFailure, PhoneRefusal } from '../../failures.ts';
import type { Quiet, SilenceLimit } from '../silence.ts';
import { commands, quote } from './commands.ts';
import type { AdbConnection } from './connect.ts';
import { framedConversation, plainConversation, type Conversation } from './conversations.ts';

/** A command's end comes a moment after the end of what it reads. */
const lastWordsMs = 300;

export interface CommandResult {
  readonly stdout: string;
  readonly stderr: string;
  readonly exitCode: number;
}

export interface CommandOptions {
  readonly signal?: AbortSignal | undefined;
  /** Why the phone may be quiet for longer than usual. */
  readonly quiet?: Quiet;
  /** What it reads; nothing otherwise. */
  readonly input?: string;
  /** It may end with 1 and complaints, which are handed over: what it printed is judged by itself. */
  readonly mayComplain?: (words: string) => void;
  /** So many bytes it may print at most, where they are all wanted at once. */
  readonly mostBytes?: number;
}

/** No answer of a few lines is longer. */
const usuallyMostBytes = 4 << 20;
/** So many bytes of complaint are kept, of their beginning and of their end. */
const mostWords = 32 << 10;
/** Of a command's input at once. */
const inputBytes = 32 << 10;
/** A command whose whole answer is waited for may print for so long; what it reads or writes counts besides. */
const mostMs = 5 * 60_000;

/** How a script is run as root: as those who give root have it, and as AOSP's own `su` has it, which takes a command's words. */
const waysToRoot = ['su -c', 'su 0 sh -c', 'su root sh -c'] as const;

/**
 * Runs commands on the phone and tells apart what it says, what it complains of and how it ends. A phone that gives no
 * sign of life ends every command.
 */
export class AdbShell {
  /** Before a script that is to run as root; undefined where the daemon is root, or nobody is. */
  wayToRoot: (typeof waysToRoot)[number] | undefined;

  /** Whether the adb daemon frames what a command prints, complains of and ends with (Android 7 on). */
  readonly framed: boolean;

  /** Whether commands can run as root; known after `findRoot`. */
  root = false;

  constructor(
    private readonly connection: AdbConnection,
    private readonly silence: SilenceLimit,
  ) {
    this.framed = connection.adb.subprocess.shellProtocol !== undefined;
  }

  /** Finds out how to become root: the daemon may be, otherwise `su` is tried. */
  async findRoot(): Promise<boolean> {
    const plain = await this.run(commands.userId());
    if (plain.stdout.trim() === '0') {
      this.root = true;
      return true;
    }
    for (const way of waysToRoot) {
      const { exitCode, stdout } = await this.run(`${way} ${quote(commands.userId())}`);
      this.root = exitCode === 0 && stdout.trim() === '0';
      if (!this.root) continue;
      this.wayToRoot = way;
      break;
    }
    return this.root;
  }

  /** The script as it must be given to run as root. */
  rooted(script: string): string {
    return this.wayToRoot ? `${this.wayToRoot} ${quote(script)}` : script;
  }

  /** The same, as the phone's own shell runs commands; a daemon that is root stays so. */
  withoutRoot(): AdbShell {
    return this.wayToRoot
      ? Object.assign(Object.create(this) as AdbShell, { root: false, wayToRoot: undefined })
      : this;
  }

  /** Runs a command as it is. @throws LinkFailure */
  async run(script: string, options: CommandOptions = {}): Promise<CommandResult> {
    const answer = this.answerTo(script, options);
    const output = this.output(script, options);
    for (;;) {
      const { done, value } = await output.next();
      if (done) return { stdout: answer.whole().toString(), stderr: value.words, exitCode: value.exitCode };
      try {
        answer.add(value);
      } catch (error) {
        await output.return({ exitCode: 0, words: '' });
        throw error;
      }
    }
  }

  /** Gathers what a command prints. */
  private answerTo(script: string, { mostBytes = usuallyMostBytes, quiet }: CommandOptions) {
    const parts: Uint8Array[] = [];
    const until = performance.now() + mostMs + this.silence.msFor(quiet);
    let left = mostBytes;
    return {
      /** @throws PhoneRefusal when it is too much, or takes too long */
      add(part: Uint8Array): void {
        left -= part.length;
        if (left < 0 || performance.now() > until)
          throw new PhoneRefusal(
            `The phone’s answer to “${shortened(script)}” does not end: it printed more than ${left < 0 ? sizeText(mostBytes) : durationText(mostMs)} of it.`,
          );
        parts.push(part.slice());
      },
      whole: () => Buffer.concat(parts),
    };
  }

  /** Runs as root. @throws PhoneRefusal with the phone's own words when it ends with an error */
  async must(script: string, options?: CommandOptions): Promise<string> {
    const { stdout, stderr, exitCode } = await this.run(this.rooted(script), options);
    if (exitCode !== 0) throw refusal(script, exitCode, stderr || stdout);
    return stdout;
  }

  /** What a command prints, run as root. @throws PhoneFailure as `stream` does */
  async text(script: string, options?: CommandOptions): Promise<string> {
    return (await this.bytes(script, options)).toString();
  }

  /** As `text`, for what is none. */
  async bytes(script: string, options?: CommandOptions): Promise<Buffer> {
    const answer = this.answerTo(script, options ?? {});
    for await (const part of this.stream(script, options)) answer.add(part);
    return answer.whole();
  }

  /**
   * Streams what a command prints, run as root. A piece is good until the next one is asked for.
   * @throws PhoneRefusal when it ends with an error
   * @throws FlashFailure when it cannot read its flash
   * @throws LinkFailure when the link breaks
   */
  async *stream(script: string, options: CommandOptions = {}): AsyncGenerator<Uint8Array> {
    const { exitCode, words } = yield* this.output(this.rooted(script), options);
    // The last command of a pipe ends well even when the first one could not read.
    if (flashError.test(words)) throw new FlashFailure('The phone cannot read its own flash there.');
    if (options.mayComplain && exitCode <= 1) options.mayComplain(words);
    else if (exitCode !== 0) throw refusal(script, exitCode, words);
  }

  /**
   * Feeds bytes to a command run as root.
   * @throws PhoneRefusal when it ends with an error
   * @throws FlashFailure when it cannot write its flash
   * @throws LinkFailure when the link breaks
   */
  async feed(
    script: string,
    bytes: AsyncIterable<Uint8Array>,
    { signal, quiet = {} }: CommandOptions = {},
  ): Promise<void> {
    const talk = this.about(this.rooted(script), true);
    const socket = await this.open(talk);
    const close = closing(socket);
    signal?.addEventListener('abort', close, { once: true });
    let isOver = false;
    const ended = this.drain(socket, talk).finally(() => (isOver = true));
    ended.catch(() => undefined);
    const orEnded = raceAgainst<Ending>(ended);
    const writer = socket.writable.getWriter();
    // A command that has ended takes no more bytes, and may not even say so: its last words tell why.
    const put = (part: Uint8Array) =>
      this.connection.orGone(writer.write(part)).catch(async (error: unknown) => {
        await Promise.race([ended, pause(lastWordsMs, undefined, { ref: false })]).catch(() => undefined);
        if (!isOver) throw error;
      });
    let fed = 0;
    try {
      for await (const part of bytes) {
        signal?.throwIfAborted();
        if (isOver) break;
        await this.silence.for(orEnded(talk.give(part, put)), quiet);
        fed += part.length;
      }
      if (!isOver) await this.silence.for(orEnded(talk.endInput(put)), quiet);
      // What it was given may have to reach its flash first.
      const { exitCode, words } = await this.silence.for(ended, {
        ...quiet,
        bytes: (quiet.bytes ?? 0) + fed,
      });
      if (exitCode === 0) return;
      if (exitCode === undefined) throw new LinkFailure(broken(new Error('it ended in the middle')));
      if (flashError.test(words)) {
        throw new FlashFailure(
          'The phone cannot write its own flash there: it is worn and cannot be repaired.',
        );
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

  /** What a command prints, as it is given; resolves to how it ended, which it did. */
  private async *output(
    script: string,
    { signal, quiet, input }: CommandOptions,
  ): AsyncGenerator<Uint8Array, Ending & { readonly exitCode: number }> {
    const talk = this.about(script, false);
    const socket = await this.open(talk);
    const close = closing(socket);
    // Where it does not take its input, it ends, and says why.
    if (input !== undefined) this.give(socket, talk, utf8(input)).catch(() => undefined);
    signal?.addEventListener('abort', close, { once: true });
    try {
      signal?.throwIfAborted();
      const { exitCode, words } = yield* this.listen(socket, talk, signal, (sign) =>
        this.silence.for(sign, quiet),
      );
      signal?.throwIfAborted();
      if (exitCode === undefined) throw new LinkFailure(broken(new Error('it ended in the middle')));
      return { exitCode, words };
    } catch (error) {
      signal?.throwIfAborted();
      throw error instanceof PhoneFailure ? error : new LinkFailure(broken(error));
    } finally {
      signal?.removeEventListener('abort', close);
      close();
    }
  }

  /** Gives a command all that it reads. */
  private async give(socket: AdbSocket, talk: Conversation, input: Uint8Array): Promise<void> {
    const writer = socket.writable.getWriter();
    const put = (part: Uint8Array) => this.connection.orGone(writer.write(part));
    for (let at = 0; at < input.length; at += inputBytes)
      await talk.give(input.subarray(at, at + inputBytes), put);
    await talk.endInput(put);
  }

  /** What a command prints until its end, and how it ended. @param awaited each sign of life */
  private async *listen(
    socket: AdbSocket,
    talk: Conversation,
    signal?: AbortSignal,
    awaited: <T>(sign: Promise<T>) => Promise<T> = (sign) => sign,
  ): AsyncGenerator<Uint8Array, Ending> {
    const reader = socket.readable.getReader();
    const cancel = () => void reader.cancel().catch(() => undefined);
    // The reader ends at once; the phone may take its time to hear of it, or be past hearing.
    signal?.addEventListener('abort', cancel, { once: true });
    const complaint = new BothEnds(mostWords);
    let exitCode: number | undefined;
    try {
      for (;;) {
        const { done, value } = await awaited(this.connection.orGone(reader.read()));
        for (const { id, data } of done ? talk.ended() : talk.heard(value)) {
          if (id === shellIds.stdout) yield data;
          else if (id === shellIds.stderr) complaint.add(data);
          else if (id === shellIds.exit) exitCode = data[0];
        }
        if (done) break;
        this.connection.pool.giveBack(value);
      }
    } finally {
      signal?.removeEventListener('abort', cancel);
      cancel();
    }
    return { exitCode, words: complaint.text() };
  }

  private async drain(socket: AdbSocket, talk: Conversation): Promise<Ending> {
    const said = this.listen(socket, talk);
    for (;;) {
      const { done, value } = await said.next();
      if (done) return value;
    }
  }

  /** How a command is spoken to: as the phone's adb daemon knows how to. */
  private about(script: string, isFed: boolean): Conversation {
    return this.framed ? framedConversation(script) : plainConversation(script, isFed);
  }

  /** Starts a command. */
  private async open({ service }: Conversation): Promise<AdbSocket> {
    const { adb, orGone } = this.connection;
    try {
      return await this.silence.for(orGone(adb.createSocket(service)));
    } catch (error) {
      throw error instanceof PhoneFailure ? error : new LinkFailure(broken(error));
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

/** An exit code from here on says which signal ended the command (POSIX.1-2017, Shell, 2.8.2). */
const leastSignalCode = 128;

const shortened = (text: string) => (text.length > 200 ? `${text.slice(0, 200)}…` : text);

function refusal(script: string, exitCode: number, words: string): PhoneRefusal | LinkFailure {
  const said = words.trim();
  const message = `The phone answered “${shortened(said) || `exit code ${exitCode}`}” to “${shortened(script)}”.`;
  // It was ended, as by a phone that goes down: it did not refuse.
  return exitCode > leastSignalCode ? new LinkFailure(message) : new PhoneRefusal(message, said);
}

/** How toybox, busybox and others name EIO (strerror of the C libraries). */
const flashError = /\bI\/O error|Input\/output error/;

const broken = (error: unknown) =>
  `The link to the phone broke (${(error as Error).message}). Check the cable, then start again.`;

/** Errors of our own sources (a damaged image) pass through; those of the adb client are link failures. */
const isLinkError = (error: unknown): boolean => error instanceof Error && error.name === 'Error';
