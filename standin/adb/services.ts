import { maxPayloadBytes } from '@keen-larder/core/protocols/adb/packet.ts';
import {
  shellHeader,
  shellHeaderBytes,
  shellIds,
  ShellParser,
} from '@keen-larder/core/protocols/adb/shell.ts';
import type { ShellHost, Streams } from '../shell/host.ts';
import { runScript } from '../shell/language/run.ts';
import type { AdbStream } from './stream.ts';

export type Service = (stream: AdbStream) => Promise<void>;

/** Runs a script; resolves to its exit code. */
export type RunShell = (script: string, streams: Streams) => Promise<number>;

/** The shell that an OPEN names; undefined where it names another service. */
export function shellFor(name: string, run: RunShell): Service | undefined {
  const shell = /^shell,v2(?:,[^:]*)?:(.*)$/s.exec(name);
  if (shell) return (stream) => shellV2(stream, shell[1]!, run);
  const plain = /^(?:exec|shell):(.*)$/s.exec(name);
  return plain ? (stream) => unframed(stream, plain[1]!, run) : undefined;
}

/** The service that an OPEN names, or undefined when the phone does not offer it. */
export function serviceFor(name: string, host: ShellHost): Service | undefined {
  const shell = shellFor(name, (script, streams) => runScript(script, host, streams));
  if (shell) return shell;
  const reboot = /^reboot:(.*)$/.exec(name);
  if (reboot) {
    return async (stream) => {
      await stream.close();
      host.reboot(reboot[1]!);
    };
  }
  return undefined;
}

async function shellV2(stream: AdbStream, script: string, run: RunShell): Promise<void> {
  // One after the other: what a command prints and what it complains of may come at once.
  let order: Promise<void> = Promise.resolve();
  const send = (id: number, bytes: Uint8Array): Promise<void> => {
    const sending = order.then(async () => {
      const room = maxPayloadBytes - shellHeaderBytes;
      for (let at = 0; at < bytes.length; at += room) {
        const part = bytes.subarray(at, at + room);
        await stream.write(shellHeader(id, part.length), part);
      }
    });
    order = sending.catch(() => undefined);
    return sending;
  };
  const exit = await run(script, {
    stdin: shellInput(stream),
    out: (bytes) => send(shellIds.stdout, bytes),
    err: (text) => send(shellIds.stderr, Buffer.from(text)),
  });
  await stream.write(shellHeader(shellIds.exit, 1), Uint8Array.of(exit));
  await stream.close();
}

/** Standard input of a shell: the data of its stdin frames until the one that closes it. */
async function* shellInput(stream: AdbStream): AsyncGenerator<Uint8Array> {
  const parser = new ShellParser();
  for await (const payload of stream.input()) {
    for (const { id, data } of parser.push(payload)) {
      if (id === shellIds.closeStdin) return;
      if (id === shellIds.stdin) yield data;
    }
  }
}

async function unframed(stream: AdbStream, script: string, run: RunShell): Promise<void> {
  const out = async (bytes: Uint8Array) => {
    for (let at = 0; at < bytes.length; at += maxPayloadBytes) {
      await stream.write(bytes.subarray(at, at + maxPayloadBytes));
    }
  };
  await run(script, { stdin: stream.input(), out, err: (text) => out(Buffer.from(text)) });
  await stream.close();
}
