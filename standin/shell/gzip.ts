import { createGunzip, createGzip } from 'node:zlib';
import { complain, type Command } from './host.ts';

const outBytes = 1 << 20;

/** `gzip -1 -c` and `gzip -d -c`, between standard streams. */
export const gzip: Command = async (process) => {
  const { args, stdin } = process;
  const odd = args.find((arg) => !/^-(?:[1-9]|c|d)$/.test(arg));
  if (odd) return complain(process, 'gzip', `${odd}: No such file or directory`);
  const level = Number(args.find((arg) => /^-\d$/.test(arg))?.slice(1) ?? 6);
  const transform = args.includes('-d')
    ? createGunzip({ chunkSize: outBytes })
    : createGzip({ level, chunkSize: outBytes });
  const giving = (async () => {
    for await (const part of stdin)
      await new Promise<void>((resolve, reject) =>
        transform.write(part, (error) => (error ? reject(error) : resolve())),
      );
    transform.end();
  })();
  giving.catch((error: unknown) => transform.destroy(error as Error));
  try {
    for await (const part of transform as AsyncIterable<Uint8Array>) await process.out(part);
    await giving;
    return 0;
  } catch (error) {
    if (!('errno' in (error as object))) throw error;
    return await complain(process, 'gzip', 'crc error');
  } finally {
    transform.destroy();
  }
};
