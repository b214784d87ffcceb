/** Runs in a thread of its own: 7-Zip blocks it. */
import { complaintOf } from './seven-zip-messages.ts';
import { freshSevenZip, writtenBytes } from './seven-zip-program.ts';

/** What is packed by xz. */
export interface XzFile {
  readonly data: Uint8Array;
  /** Unpacked. */
  readonly bytes: number;
}

interface Stream {
  readonly node: { readonly name: string };
}

/**
 * Unpacks files of xz: any filters, any checks that 7-Zip knows, several streams in a row. Each unpacks to as many bytes as it says or is refused.
 * @throws Error where one is damaged, cut short, followed by something else, takes too much memory or unpacks to more or less
 */
export async function unpackXz(files: readonly XzFile[]): Promise<Uint8Array[]> {
  if (files.length === 0) return [];
  const errors: string[] = [];
  const outputs = files.map(({ bytes }) => ({ bytes: new Uint8Array(bytes), end: 0 }));
  const { FS, callMain } = await freshSevenZip({ lines: [], errors });
  FS.mkdir('/in');
  FS.mkdir('/out');
  for (const [i, { data }] of files.entries()) FS.writeFile(`/in/${i}.xz`, data);
  // All files have the same operations. What comes out goes where it belongs at once.
  const { node } = FS.lookupPath('/in/0.xz') as unknown as { node: { stream_ops: object } };
  Object.assign(node.stream_ops, {
    write(stream: Stream, buffer: ArrayBufferView, offset: number, length: number, position: number) {
      const output = outputs[Number(stream.node.name)]!;
      const end = position + length;
      if (end > output.bytes.length) throw new Error(`it unpacks to more than ${output.bytes.length} bytes`);
      output.bytes.set(writtenBytes(buffer, offset, length), position);
      output.end = Math.max(output.end, end);
      return length;
    },
  });
  const code = Number(callMain(['x', '-txz', '-bd', '-p-', '-o/out', '-an', '-ai!/in/*.xz']));
  if (code !== 0) throw new Error(complaintOf(errors.join(' ')));
  return outputs.map(({ bytes, end }) => {
    if (end !== bytes.length) throw new Error(`it gives ${end} bytes of ${bytes.length}`);
    return bytes;
  });
}
