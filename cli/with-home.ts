import pino from 'pino';
import { openKeenLarder, type KeenLarder } from '@keen-larder/server/keen-larder.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';

/**
 * Opens a home folder, without phones, for as long as some work takes.
 * @param opening.secret of its seal; out of the environment where it is left out
 * @throws Error while the application runs
 */
export async function withHome(
  { home, secret }: { readonly home: string; readonly secret?: string },
  work: (app: KeenLarder) => Promise<number> | number,
): Promise<number> {
  // A passphrase for a larder that has no seal yet opens nothing.
  const sealing = secret === undefined ? sealSecretOf(process.env) : { sealSecret: secret };
  const app = await openKeenLarder({ home, addresses: [], log: pino({ level: 'silent' }), ...sealing });
  try {
    return await work(app);
  } finally {
    await app.close();
  }
}
