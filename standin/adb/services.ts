import type { ShellHost } from '../shell/host.ts';
import { runScript } from '../shell/run.ts';
import { maxPayloadBytes } from './packet.ts';
import type { AdbStream } from './stream.ts';

/** Packet kinds of the shell protocol, version 2 (AOSP adb, shell_protocol.h): id, 32-bit length, data. */
const shellIds = { stdin: 0, stdout: 1, stderr: 2, exit: 3, closeStdin: 4 } as const;
const shellHeaderBytes = 5;

export type Service = (stream: AdbStream) => Promise<void>;

/** The service that an OPEN names, or undefined when the phone does not offer it. */
export function serviceFor(name: string, host: ShellHost): Service | undefined {
  const shell = /^shell,v2(?:,[^:]*)?:(.*)$/s.exec(name);
  if (shell) return (stream) => shellV2(stream, shell[1]!, host);
  const plain = /^(?:exec|shell):(.*)$/s.exec(name);
  if (plain) return (stream) => unframed(stream, plain[1]!, host);
  const reboot = /^reboot:(.*)$/.exec(name);
  if (reboot) {
    return async (stream) => {
      await stream.close();
      host.reboot(reboot[1]!);
    };
  }
  return undefined;
}

async function shellV2(stream: AdbStream, script: string, host: ShellHost): Promise<void> {
  const frame = (id: number, bytes: number) => {
    const header = Buffer.alloc(shellHeaderBytes);
    header[0] = id;
    header.writeUInt32LE(bytes, 1);
    return header;
  };
  const send = async (id: number, bytes: Uint8Array) => {
    const room = maxPayloadBytes - shellHeaderBytes;
    for (let at = 0; at < bytes.length; at += room) {
      const part = bytes.subarray(at, at + room);
      await stream.write(frame(id, part.length), part);
    }
  };
  const exit = await runScript(script, host, {
    stdin: shellInput(stream),
    out: (bytes) => send(shellIds.stdout, bytes),
    err: (text) => send(shellIds.stderr, Buffer.from(text)),
  });
  await stream.write(frame(shellIds.exit, 1), Uint8Array.of(exit));
  await stream.close();
}

/** Standard input of a shell: the data of its stdin frames until the one that closes it. */
async function* shellInput(stream: AdbStream): AsyncGenerator<Uint8Array> {
  let held: Buffer = Buffer.alloc(0);
  /** Bytes of the current stdin frame still to come. */
  let left = 0;
  for await (const payload of stream.input()) {
    let rest: Buffer = held.length ? Buffer.concat([held, payload]) : payload;
    held = Buffer.alloc(0);
    while (rest.length > 0) {
      if (left > 0) {
        const part = rest.subarray(0, left);
        left -= part.length;
        rest = rest.subarray(part.length);
        yield part;
        continue;
      }
      if (rest.length < shellHeaderBytes) {
        held = rest;
        break;
      }
      const id = rest[0];
      const bytes = rest.readUInt32LE(1);
      rest = rest.subarray(shellHeaderBytes);
      if (id === shellIds.closeStdin) return;
      if (id === shellIds.stdin) left = bytes;
      else rest = rest.subarray(bytes);
    }
  }
}

async function unframed(stream: AdbStream, script: string, host: ShellHost): Promise<void> {
  const out = async (bytes: Uint8Array) => {
    for (let at = 0; at < bytes.length; at += maxPayloadBytes) {
      await stream.write(bytes.subarray(at, at + maxPayloadBytes));
    }
  };
  await runScript(script, host, { stdin: stream.input(), out, err: (text) => out(Buffer.from(text)) });
  await stream.close();
}
