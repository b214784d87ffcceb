import { commandTable } from './commands.ts';
import type { Process, ShellHost, Streams } from './host.ts';
import { parse, SyntaxFailure, type Pipeline } from './parse.ts';
import { Pipe } from './pipe.ts';

const shellUid = 2000;

/** Runs a script as the adb daemon does; resolves to the exit code of its last command. */
export async function runScript(
  script: string,
  host: ShellHost,
  streams: Streams,
  uid: number = host.rootDaemon ? 0 : shellUid,
): Promise<number> {
  let pipelines: Pipeline[];
  try {
    pipelines = parse(script);
  } catch (error) {
    if (!(error instanceof SyntaxFailure)) throw error;
    await streams.err(`sh: ${error.message}\n`);
    return 1;
  }
  let code = 0;
  for (const pipeline of pipelines) {
    if (pipeline.after === '&&' && code !== 0) continue;
    if (pipeline.after === '||' && code === 0) continue;
    code = await runPipeline(pipeline, host, streams, uid);
  }
  return code;
}

async function runPipeline(
  { commands }: Pipeline,
  host: ShellHost,
  streams: Streams,
  uid: number,
): Promise<number> {
  const codes: Promise<number>[] = [];
  let stdin = streams.stdin;
  commands.forEach((command, i) => {
    const pipe = i < commands.length - 1 ? new Pipe() : undefined;
    const out = command.dropOut ? nowhere : (pipe?.write ?? streams.out);
    const err = command.dropErr
      ? nowhere
      : command.errToOut
        ? (text: string) => out(Buffer.from(text))
        : streams.err;
    const [name, ...args] = command.words;
    const process: Process = { host, uid, args, stdin, out, err };
    const run = commandTable[name!];
    codes.push((run ? run(process) : notFound(process, name!)).finally(() => pipe?.end()));
    if (pipe) stdin = pipe;
  });
  return (await Promise.all(codes)).at(-1) ?? 0;
}

const nowhere = () => Promise.resolve();

async function notFound(process: Process, name: string): Promise<number> {
  await process.err(`/system/bin/sh: ${name}: not found\n`);
  return 127;
}
