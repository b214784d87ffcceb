/** Runs in a thread of its own: one digest over streams of shared blocks, in order. */
import { createHash, type Hash } from 'node:crypto';
import { parentPort, workerData } from 'node:worker_threads';

export type DigestRequest =
  | {
      readonly kind: 'update';
      readonly stream: number;
      readonly memory: SharedArrayBuffer;
      readonly bytes: number;
    }
  /**
   * `peek` answers with the digest so far and goes on; `finish` ends the stream; after `mark`, `back` forgets what came since.
   * The last two are answered without a digest.
   */
  | { readonly kind: 'peek' | 'finish' | 'mark' | 'back'; readonly stream: number };

/** Answers come in the order of the requests; an update is answered without a digest. */
export interface DigestAnswer {
  readonly stream: number;
  readonly digest?: Uint8Array;
}

const streams = new Map<number, Hash>();
const marks = new Map<number, Hash>();
const port = parentPort!;

port.on('message', (request: DigestRequest) => {
  const { stream } = request;
  let hash = streams.get(stream);
  if (!hash) {
    hash = createHash(workerData as string);
    streams.set(stream, hash);
  }
  if (request.kind === 'update') {
    hash.update(Buffer.from(request.memory, 0, request.bytes));
    port.postMessage({ stream } satisfies DigestAnswer);
  } else if (request.kind === 'peek') {
    port.postMessage({ stream, digest: hash.copy().digest() } satisfies DigestAnswer);
  } else if (request.kind === 'mark') {
    marks.set(stream, hash.copy());
    port.postMessage({ stream } satisfies DigestAnswer);
  } else if (request.kind === 'back') {
    streams.set(stream, marks.get(stream)!.copy());
    port.postMessage({ stream } satisfies DigestAnswer);
  } else {
    streams.delete(stream);
    marks.delete(stream);
    port.postMessage({ stream, digest: hash.digest() } satisfies DigestAnswer);
  }
});
