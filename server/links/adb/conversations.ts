import { randomBytes } from 'node:crypto';
import { shellHeader, shellIds, ShellParser, type ShellPart } from '@keen-larder/core/protocols/adb/shell.ts';
import { utf8 } from '@keen-larder/core/bytes/text.ts';

/** Hands bytes to the phone; resolves when more may be handed over. */
type Write = (bytes: Uint8Array) => Promise<unknown>;

/** What is said to one command, and what is heard of it. */
export interface Conversation {
  /** Of the adb daemon, which runs the command. */
  readonly service: string;
  /** What a payload has of what the command prints and complains of, and of how it ends. */
  heard(payload: Uint8Array): Iterable<ShellPart>;
  /** What is told only by the end of the stream. */
  ended(): Iterable<ShellPart>;
  /** Gives a part of the command's input; resolves when more may be given. */
  give(part: Uint8Array, write: Write): Promise<void>;
  /** Ends the command's input. */
  endInput(write: Write): Promise<void>;
}

/** A conversation over the framed shell (AOSP adb, shell_protocol.h; Android 7 on). */
export function framedConversation(script: string): Conversation {
  const parser = new ShellParser();
  return {
    service: `shell,v2,raw:${script}`,
    heard: (payload) => parser.push(payload),
    ended: () => [],
    async give(part, write) {
      await write(shellHeader(shellIds.stdin, part.length));
      await write(part);
    },
    async endInput(write) {
      await write(shellHeader(shellIds.closeStdin, 0));
    },
  };
}

/** So much is given at once, and then waited until the phone has taken it. */
const portionBytes = 256 << 10;
/** Printed for each portion that was taken. */
const taken = 't';
const newline = 0x0a;

/**
 * A conversation over the daemon's plain `exec:`, which carries bytes alone (Android 5 and 6, and recoveries of that time).
 * What the command complains of and its exit code come behind what it prints, after a mark that nobody can guess. Its
 * input has no end either: it is announced in portions, each given when the one before was taken, since a `head` may
 * read more than it is told to.
 * @param isFed it is given input up to an end, and what it prints is dropped; otherwise it must find the end of its input by itself
 */
export function plainConversation(
  script: string,
  isFed: boolean,
  mark = randomBytes(16).toString('hex'),
): Conversation {
  const portions = `while read -r n && [ "$n" != 0 ]; do head -c "$n" && echo ${taken} >&3; done`;
  const inner = isFed ? `${portions} | { ${script}\n} >/dev/null` : script;
  const tail = new MarkedTail(mark);
  let waiting: (() => void) | undefined;
  return {
    service: `exec:{ said=$( { ${inner}\n} 2>&1 >&3 ); code=$?; } 3>&1; echo "${mark}$said"; echo "$code"`,
    *heard(payload) {
      for (const data of tail.push(payload)) {
        if (!isFed) yield { id: shellIds.stdout, data };
        else if (data.includes(newline)) waiting?.();
      }
    },
    *ended() {
      for (const data of tail.rest()) yield { id: shellIds.stdout, data };
      const words = tail.words();
      if (words === undefined) return;
      const [, said, code] = /^([^]*?)\n(\d+)\n$/.exec(words) ?? [];
      if (code === undefined) return;
      yield { id: shellIds.stderr, data: utf8(said!) };
      yield { id: shellIds.exit, data: Uint8Array.of(Number(code)) };
    },
    async give(part, write) {
      if (!isFed) return void (await write(part));
      for (let at = 0; at < part.length; at += portionBytes) {
        const portion = part.subarray(at, at + portionBytes);
        const took = new Promise<void>((resolve) => (waiting = resolve));
        await write(utf8(`${portion.length}\n`));
        await write(portion);
        await took;
      }
    },
    async endInput(write) {
      if (isFed) await write(utf8('0\n'));
    },
  };
}

/** A stream up to a mark, and what comes behind it. */
class MarkedTail {
  private readonly mark: Buffer;
  /** The end of what came, which may be the beginning of the mark. */
  private held = Buffer.alloc(0);
  private behind: Buffer[] | undefined;

  constructor(mark: string) {
    this.mark = Buffer.from(mark);
  }

  *push(payload: Uint8Array): Generator<Uint8Array> {
    if (this.behind) return void this.behind.push(Buffer.from(payload));
    const came = Buffer.from(payload.buffer, payload.byteOffset, payload.length);
    const all = this.held.length > 0 ? Buffer.concat([this.held, came]) : came;
    const at = all.indexOf(this.mark);
    const until = at >= 0 ? at : all.length - this.begunAtEndOf(all);
    if (at >= 0) this.behind = [Buffer.from(all.subarray(at + this.mark.length))];
    this.held = at >= 0 ? Buffer.alloc(0) : Buffer.from(all.subarray(until));
    if (until > 0) yield all.subarray(0, until);
  }

  /** How many bytes at the end may be the beginning of the mark. */
  private begunAtEndOf(bytes: Buffer): number {
    for (let most = Math.min(bytes.length, this.mark.length - 1); most > 0; most--)
      if (bytes.subarray(-most).equals(this.mark.subarray(0, most))) return most;
    return 0;
  }

  /** What was held back of a stream that ended without the mark. */
  *rest(): Generator<Uint8Array> {
    if (this.held.length > 0) yield this.held;
  }

  words(): string | undefined {
    return this.behind && Buffer.concat(this.behind).toString();
  }
}
