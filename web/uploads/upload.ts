import type { UploadedView } from '@keen-larder/contract/imports.ts';
import type { ProblemDetails } from '@keen-larder/contract/problem.ts';
import type { DigestAnswer } from './digest-worker.ts';

/** A file and where it lies in what was dropped. */
export interface FileToCopy {
  readonly path: string;
  readonly file: File;
}

/**
 * SHA-256 of a file, computed in a worker.
 * @param passed told how many bytes were digested so far
 * @throws Error when the file cannot be read
 */
export function digestFile(
  file: File,
  signal: AbortSignal,
  passed: (bytes: number) => void,
): Promise<string> {
  const worker = new Worker(new URL('./digest-worker.ts', import.meta.url), { type: 'module' });
  return new Promise<string>((resolve, reject) => {
    signal.addEventListener('abort', () => reject(signal.reason as Error));
    worker.onerror = ({ message }) => reject(new Error(message));
    worker.onmessage = ({ data }: MessageEvent<DigestAnswer>) => {
      if ('done' in data) passed(data.done);
      else if ('sha256' in data) resolve(data.sha256);
      else reject(new Error(`${file.name} cannot be read: ${data.error}`));
    };
    worker.postMessage(file);
  }).finally(() => worker.terminate());
}

/**
 * Sends a file to the server; fetch does not tell how far it is.
 * @param passed told how many bytes were sent so far
 * @throws Error with what went wrong
 */
export function sendFile(
  address: string,
  file: File,
  signal: AbortSignal,
  passed: (bytes: number) => void,
): Promise<UploadedView> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open('PUT', address);
    request.setRequestHeader('content-type', 'application/octet-stream');
    request.upload.onprogress = ({ loaded }) => passed(loaded);
    request.onerror = () => reject(new Error('Keen Larder does not answer. Is it still running?'));
    request.onabort = () => reject(signal.reason as Error);
    request.onload = () => {
      const value: unknown = JSON.parse(request.responseText);
      if (request.status < 300) resolve(value as UploadedView);
      else reject(new Error((value as ProblemDetails).detail));
    };
    signal.addEventListener('abort', () => request.abort());
    request.send(file);
  });
}

/**
 * Copies a file and makes sure that it arrived as it is here.
 * @param passed told how many bytes are both digested and sent
 */
export async function copyFile(
  address: string,
  file: File,
  signal: AbortSignal,
  passed: (bytes: number) => void,
): Promise<void> {
  const at = { digested: 0, sent: 0 };
  const tell = (what: keyof typeof at) => (bytes: number) => {
    at[what] = bytes;
    passed(Math.min(at.digested, at.sent, file.size));
  };
  const [here, there] = await Promise.all([
    digestFile(file, signal, tell('digested')),
    sendFile(address, file, signal, tell('sent')),
  ]);
  if (here !== there.sha256) {
    throw new Error(`${file.name} arrived with another SHA-256 than it has: ${there.sha256}, not ${here}.`);
  }
  passed(file.size);
}
