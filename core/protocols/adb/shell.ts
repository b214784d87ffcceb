/** Frame ids of the shell protocol, version 2 (AOSP adb, shell_protocol.h). */
export const shellIds = { stdin: 0, stdout: 1, stderr: 2, exit: 3, closeStdin: 4 } as const;

/** One byte of id, 32 bits of length, little endian. */
export const shellHeaderBytes = 5;

export function shellHeader(id: number, bytes: number): Uint8Array {
  const header = new Uint8Array(shellHeaderBytes);
  header[0] = id;
  new DataView(header.buffer).setUint32(1, bytes, true);
  return header;
}

/** Part of a frame's data; long frames come in several parts. Empty frames come as one empty part. */
export interface ShellPart {
  readonly id: number;
  readonly data: Uint8Array;
}

/** Cuts a stream of payloads into frames, however they are cut. Data is not copied. */
export class ShellParser {
  private readonly head = new Uint8Array(shellHeaderBytes);
  private headFilled = 0;
  private id = 0;
  /** Data bytes of the present frame still to come. */
  private left = 0;

  *push(payload: Uint8Array): Generator<ShellPart> {
    for (let at = 0; at < payload.length;) {
      if (this.left > 0) {
        const data = payload.subarray(at, at + this.left);
        this.left -= data.length;
        at += data.length;
        yield { id: this.id, data };
        continue;
      }
      this.head[this.headFilled++] = payload[at++]!;
      if (this.headFilled < shellHeaderBytes) continue;
      this.headFilled = 0;
      this.id = this.head[0]!;
      this.left = new DataView(this.head.buffer).getUint32(1, true);
      if (this.left === 0) yield { id: this.id, data: new Uint8Array() };
    }
  }
}
