/** Runs in a thread of its own: SHA-256 and MD5 over a stream of shared blocks, in order. */
import { createHash, type Hash } from 'node:crypto';
import { parentPort } from 'node:worker_threads';

export type DigestRequest =
  | { readonly kind: 'update'; readonly stream: number; readonly memory: SharedArrayBuffer; readonly bytes: number }
  | { readonly kind: 'finish'; readonly stream: number };

export type DigestAnswer =
  | { readonly kind: 'updated'; readonly stream: number }
  | { readonly kind: 'finished'; readonly stream: number; readonly sha256: Uint8Array; readonly md5: Uint8Array };

const streams = new Map<number, { sha256: Hash; md5: Hash }>();
const port = parentPort!;

port.on('message', (request: DigestRequest) => {
  let hashes = streams.get(request.stream);
  if (!hashes) {
    hashes = { sha256: createHash('sha256'), md5: createHash('md5') };
    streams.set(request.stream, hashes);
  }
  if (request.kind === 'update') {
    const bytes = Buffer.from(request.memory, 0, request.bytes);
    hashes.sha256.update(bytes);
    hashes.md5.update(bytes);
    port.postMessage({ kind: 'updated', stream: request.stream } satisfies DigestAnswer);
    return;
  }
  streams.delete(request.stream);
  port.postMessage({
    kind: 'finished',
    stream: request.stream,
    sha256: hashes.sha256.digest(),
    md5: hashes.md5.digest(),
  } satisfies DigestAnswer);
});
