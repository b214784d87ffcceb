/** Digests a file away from the interface; posts its progress, then its SHA-256. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';

export type DigestAnswer =
  | { readonly done: number }
  | { readonly sha256: string }
  | { readonly error: string };

const answer = (value: DigestAnswer) => self.postMessage(value);

self.onmessage = async ({ data: file }: MessageEvent<File>) => {
  try {
    const hash = sha256.create();
    let done = 0;
    const reader = file.stream().getReader();
    for (let part = await reader.read(); !part.done; part = await reader.read()) {
      hash.update(part.value);
      done += part.value.length;
      answer({ done });
    }
    answer({ sha256: bytesToHex(hash.digest()) });
  } catch (error) {
    answer({ error: (error as Error).message });
  }
};
