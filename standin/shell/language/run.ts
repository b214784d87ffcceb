import {
  parse,
  type Command as CommandNode,
  type CommandNode as Node,
  type CompoundList,
  type ParsedScript,
  type Pipeline,
  type PipelineNode,
  type Redirection,
  type Statement,
} from 'unbash';
import { commandTable } from '../commands.ts';
import type { Called, Process, ShellHost, Streams } from '../host.ts';
import { printedPiece } from '../known-pieces.ts';
import { Pipe } from '../pipe.ts';
import { namesIn } from '../tree/look.ts';
import { turnsOf } from '../turns.ts';
import { builtins } from './builtins.ts';
import { Input } from './input.ts';
import { patternOf } from './patterns.ts';
import { nowhere, open, type Io, type Writer } from './redirections.ts';
import { Leaving, Scope } from './scope.ts';
import { fieldsOf, patternPieces, SyntaxFailure, valueOf, type Values } from './words.ts';

const shellUid = 2000;

const readersOfFiles = new Set(['cat', 'df', 'du', 'ls', 'md5sum', 'sha256sum', 'stat', 'unzip']);

/** A script, with what it is called by. */
export interface CalledWith extends Called {
  /** Descriptors besides the three, by number. */
  readonly outputs?: ReadonlyMap<number, Writer>;
}

let scripts = 0;

/** Runs a script as the adb daemon does; resolves to the exit code of its last command. */
export async function runScript(
  script: string,
  host: ShellHost,
  streams: Streams,
  uid: number = host.rootDaemon ? 0 : shellUid,
  { cwd = '/', name = 'sh', words = [], outputs = new Map() }: CalledWith = {},
): Promise<number> {
  const io: Io = {
    stdin: Input.of(streams.stdin),
    outputs: new Map([
      ...outputs,
      [1, (bytes) => streams.out(bytes)],
      [2, (bytes) => streams.err(Buffer.from(bytes).toString())],
    ]),
  };
  const shell = new Shell(host, uid, new Scope(cwd, name, words, 2000 + ++scripts));
  try {
    return await shell.all(parsed(script), io);
  } catch (error) {
    if (error instanceof Leaving) return error.by === 'exit' || error.by === 'return' ? error.count : 0;
    if (!(error instanceof SyntaxFailure)) throw error;
    await streams.err(`sh: ${error.message}\n`);
    return 1;
  }
}

/** @throws SyntaxFailure */
export function parsed(script: string): ParsedScript {
  const found = parse(script);
  const [fault] = found.errors ?? [];
  if (fault) throw new SyntaxFailure(`syntax error: ${fault.message}`);
  return found;
}

/** The language of the phone's shell (POSIX, Shell Command Language), but for background jobs. */
class Shell implements Values {
  /** How the last command substitution ended. */
  private substituted = 0;

  constructor(
    private readonly host: ShellHost,
    private readonly uid: number,
    private readonly scope: Scope,
  ) {}

  get positional(): readonly string[] {
    return this.scope.positional;
  }

  value(name: string): string | undefined {
    return this.scope.value(name);
  }

  assign(name: string, value: string): void {
    this.scope.assign(name, value);
  }

  names(folder: string): Promise<readonly string[]> {
    return namesIn({ host: this.host, uid: this.uid, cwd: this.scope.cwd }, folder);
  }

  async printed(script: ParsedScript): Promise<string> {
    const parts: Uint8Array[] = [];
    const io: Io = {
      stdin: new Input(nothing()),
      outputs: new Map([[1, (bytes: Uint8Array) => Promise.resolve(void parts.push(bytes.slice()))]]),
    };
    this.substituted = await this.within((shell) => shell.all(script, io));
    return Buffer.concat(parts).toString().replace(/\n+$/, '');
  }

  async all({ commands }: ParsedScript | CompoundList, io: Io): Promise<number> {
    for (const statement of commands) this.scope.code = await this.statement(statement, io);
    return this.scope.code;
  }

  private async statement({ command, background }: Statement, io: Io): Promise<number> {
    if (background) throw new SyntaxFailure("syntax error: unexpected '&'");
    if (command.type !== 'AndOr') return this.pipeline(command, io);
    for (const [i, each] of command.commands.entries()) {
      const before = command.operators[i - 1];
      if (before !== undefined && (before === '&&') !== (this.scope.code === 0)) continue;
      this.scope.code = await this.pipeline(each, io);
    }
    return this.scope.code;
  }

  private async pipeline(node: PipelineNode, io: Io): Promise<number> {
    if (node.type !== 'Pipeline') return this.command(node, io);
    const code = await this.piped(node, io);
    return node.prefixes.some(({ type }) => type === 'Negation') ? Number(code === 0) : code;
  }

  private async piped({ commands, operators }: Pipeline, io: Io): Promise<number> {
    if (commands.length === 1) return this.command(commands[0]!, io);
    if (operators.includes('|&')) throw new SyntaxFailure("syntax error: unexpected '&'");
    const printed = printedPiece(commands, this.host, this.uid);
    if (printed) {
      await io.outputs.get(1)!(Buffer.from(await turnsOf(this.host).reading(printed)));
      return 0;
    }
    let { stdin } = io;
    let before: Pipe | undefined;
    const codes = commands.map((command, i) => {
      const input = before;
      const pipe = i < commands.length - 1 ? new Pipe() : undefined;
      const outputs = pipe ? new Map([...io.outputs, [1, pipe.write] as const]) : io.outputs;
      const own: Io = { stdin, outputs };
      if (pipe) stdin = new Input(pipe);
      before = pipe;
      return this.within((shell) => shell.command(command, own)).finally(() => {
        pipe?.end();
        // Nobody reads any more what the command before it prints.
        input?.end();
      });
    });
    return (await Promise.all(codes)).at(-1) ?? 0;
  }

  /** In a subshell: `exit` ends only that. */
  private async within(work: (shell: Shell) => Promise<number>): Promise<number> {
    try {
      return await work(new Shell(this.host, this.uid, this.scope.copy()));
    } catch (error) {
      if (error instanceof Leaving && error.by === 'exit') return error.count;
      throw error;
    }
  }

  private async command(node: Node, io: Io): Promise<number> {
    switch (node.type) {
      case 'Command':
        return this.simple(node, io);
      case 'Redirected':
        return this.redirected(node.redirects, io, (own) => this.command(node.command, own));
      case 'BraceGroup':
        return this.all(node.body, io);
      case 'Subshell':
        return this.within((shell) => shell.all(node.body, io));
      case 'Function':
        this.scope.functions.set(node.name.value, node.body);
        return 0;
      case 'If': {
        if ((await this.all(node.clause, io)) === 0) return this.all(node.then, io);
        for (const { clause, then } of node.elif)
          if ((await this.all(clause, io)) === 0) return this.all(then, io);
        return node.else ? this.all(node.else, io) : 0;
      }
      case 'For': {
        const words = node.wordlist ? await fieldsOf(node.wordlist, this) : this.positional;
        const left = [...words];
        return this.loop(node.body, io, () => {
          const word = left.shift();
          if (word !== undefined) this.assign(node.name.value, word);
          return Promise.resolve(word !== undefined);
        });
      }
      case 'While': {
        const isWanted = node.kind === 'while';
        return this.loop(node.body, io, async () => ((await this.all(node.clause, io)) === 0) === isWanted);
      }
      case 'Case': {
        const word = await valueOf(node.word, this);
        for (const { pattern, body } of node.items) {
          for (const each of pattern) {
            const pieces = await patternPieces(each, this);
            if (!new RegExp(`^${patternOf(pieces)}$`, 'u').test(word)) continue;
            return body.commands.length > 0 ? this.all(body, io) : 0;
          }
        }
        return 0;
      }
      default:
        throw new SyntaxFailure(`syntax error: this shell has no ${node.type}`);
    }
  }

  private async loop(body: CompoundList, io: Io, goesOn: () => Promise<boolean>): Promise<number> {
    let code = 0;
    while (await goesOn()) {
      try {
        code = await this.all(body, io);
      } catch (error) {
        if (!(error instanceof Leaving) || (error.by !== 'break' && error.by !== 'continue')) throw error;
        code = 0;
        if (error.count > 1) throw new Leaving(error.by, error.count - 1);
        if (error.by === 'break') break;
      }
    }
    return code;
  }

  private async simple({ name, prefix, args, redirects }: CommandNode, io: Io): Promise<number> {
    this.substituted = 0;
    const assigned: [string, string][] = [];
    for (const each of prefix) {
      if (each.type !== 'Assignment') continue;
      if (each.value.type !== 'Word' || each.index || each.append)
        throw new SyntaxFailure(`syntax error: unexpected '${each.text}'`);
      assigned.push([each.name, await valueOf(each.value, this)]);
    }
    const words = await fieldsOf(
      [...(name ? [name] : []), ...args].map((arg) => {
        if (arg.type === 'Word') return arg;
        throw new SyntaxFailure(`syntax error: unexpected '${arg.text}'`);
      }),
      this,
    );
    const [called, ...rest] = words;
    if (called === undefined) {
      for (const [key, value] of assigned) this.assign(key, value);
      return this.redirected(redirects, io, () => Promise.resolve(this.substituted));
    }
    return this.redirected(redirects, io, (own) => this.call(called, rest, own));
  }

  private async call(name: string, args: readonly string[], io: Io): Promise<number> {
    const body = this.scope.functions.get(name);
    if (body) return this.callFunction(body, args, io);
    const process = this.process(args, io);
    const builtin = Object.hasOwn(builtins, name) ? builtins[name] : undefined;
    if (builtin) return builtin(process, this.scope);
    if (name === 'type' || name === 'command') return this.whereIs(process, args.at(-1) ?? '');
    const run = Object.hasOwn(commandTable, name) ? commandTable[name] : undefined;
    if (run) return readersOfFiles.has(name) ? turnsOf(this.host).reading(() => run(process)) : run(process);
    await process.err(`/system/bin/sh: ${name}: not found\n`);
    return 127;
  }

  private async whereIs({ out }: Process, name: string): Promise<number> {
    const isOwn = this.scope.functions.has(name) || Object.hasOwn(builtins, name);
    if (!isOwn && !Object.hasOwn(commandTable, name)) return 1;
    await out(Buffer.from(isOwn ? `${name}\n` : `/system/bin/${name}\n`));
    return 0;
  }

  private async callFunction(body: Node | CompoundList, args: readonly string[], io: Io): Promise<number> {
    const { positional } = this.scope;
    this.scope.positional = args;
    try {
      return await (body.type === 'CompoundList' ? this.all(body, io) : this.command(body, io));
    } catch (error) {
      if (error instanceof Leaving && error.by === 'return') return error.count;
      throw error;
    } finally {
      this.scope.positional = positional;
    }
  }

  private process(args: readonly string[], { stdin, outputs }: Io): Process & { readonly stdin: Input } {
    const { host, uid } = this;
    const { cwd } = this.scope;
    const out = outputs.get(1) ?? nowhere;
    const err = outputs.get(2) ?? nowhere;
    const streams = { stdin, out, err: (text: string) => err(Buffer.from(text)) };
    return {
      ...{ host, uid, cwd, args, ...streams },
      sub: (script, as, called) => runScript(script, host, streams, as, { outputs, cwd, ...called }),
      exec: ([name = '', ...words]) => this.call(name, words, { stdin, outputs }),
    };
  }

  /** Does work with what its redirections say; what is written to a file is there once it has ended. */
  private async redirected(
    redirections: readonly Redirection[],
    io: Io,
    work: (io: Io) => Promise<number>,
  ): Promise<number> {
    if (redirections.length === 0) return work(io);
    const opened = await open(redirections, io, this.process([], io), this);
    if (typeof opened === 'number') return opened;
    let code: number;
    let written = 0;
    try {
      code = await work(opened.io);
    } finally {
      written = await opened.close();
    }
    return written || code;
  }
}

async function* nothing(): AsyncGenerator<Uint8Array> {}
