import { commandTable } from './commands.ts';
import { resolvePath, type Process, type ShellHost, type Streams } from './host.ts';
import { parse, SyntaxFailure, type Pipeline } from './parse.ts';
import { printedPiece } from './known-pieces.ts';
import { Pipe } from './pipe.ts';
import { turnsOf } from './turns.ts';

const shellUid = 2000;

const readersOfFiles = new Set(['cat', 'df', 'du', 'find', 'ls', 'md5sum', 'sha256sum', 'stat']);

/** Runs a script as the adb daemon does; resolves to the exit code of its last command. */
export async function runScript(
  script: string,
  host: ShellHost,
  streams: Streams,
  uid: number = host.rootDaemon ? 0 : shellUid,
  cwd = '/',
): Promise<number> {
  let pipelines: Pipeline[];
  try {
    pipelines = parse(script);
  } catch (error) {
    if (!(error instanceof SyntaxFailure)) throw error;
    await streams.err(`sh: ${error.message}\n`);
    return 1;
  }
  return runList(pipelines, host, streams, uid, cwd);
}

async function runList(
  pipelines: readonly Pipeline[],
  host: ShellHost,
  streams: Streams,
  uid: number,
  startsIn: string,
): Promise<number> {
  let cwd = startsIn;
  let code = 0;
  for (const pipeline of pipelines) {
    if (pipeline.after === '&&' && code !== 0) continue;
    if (pipeline.after === '||' && code === 0) continue;
    const [name, folder] = pipeline.commands[0]?.words ?? [];
    if (name === 'cd' && pipeline.commands.length === 1) {
      cwd = resolvePath(cwd, folder ?? '/');
      code = 0;
      continue;
    }
    if (name === 'exit' && pipeline.commands.length === 1) return code;
    code = await runPipeline(pipeline, host, streams, uid, cwd);
  }
  return code;
}

async function runPipeline(
  { commands }: Pipeline,
  host: ShellHost,
  streams: Streams,
  uid: number,
  cwd: string,
): Promise<number> {
  const printed = printedPiece(commands, host, uid);
  if (printed) {
    await streams.out(Buffer.from(await turnsOf(host).reading(printed)));
    return 0;
  }
  const codes: Promise<number>[] = [];
  let stdin = streams.stdin;
  let before: Pipe | undefined;
  commands.forEach((command, i) => {
    const input = before;
    const pipe = i < commands.length - 1 ? new Pipe() : undefined;
    const out = command.dropOut ? nowhere : (pipe?.write ?? streams.out);
    const err = command.dropErr
      ? nowhere
      : command.errToOut
        ? (text: string) => out(Buffer.from(text))
        : streams.err;
    const [name, ...args] = command.words;
    const sub = (script: string, as: number) =>
      runScript(script, host, { stdin: process.stdin, out, err }, as, cwd);
    const process: Process = { host, uid, cwd, args, stdin, out, err, sub };
    const run = commandTable[name!];
    const running = command.group
      ? runList(command.group, host, { stdin, out, err }, uid, cwd)
      : run
        ? readersOfFiles.has(name!)
          ? turnsOf(host).reading(() => run(process))
          : run(process)
        : notFound(process, name!);
    codes.push(
      running.finally(() => {
        pipe?.end();
        // Nobody reads any more what the command before it prints.
        input?.end();
      }),
    );
    if (pipe) stdin = pipe;
    before = pipe;
  });
  return (await Promise.all(codes)).at(-1) ?? 0;
}

const nowhere = () => Promise.resolve();

async function notFound(process: Process, name: string): Promise<number> {
  await process.err(`/system/bin/sh: ${name}: not found\n`);
  return 127;
}
