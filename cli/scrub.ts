import pino from 'pino';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { openKeenLarder } from '@keen-larder/server/keen-larder.ts';
import { sealSecretOf } from '@keen-larder/server/shelf/shelf-seal.ts';
import { SealFailure } from '@keen-larder/server/failures.ts';
import type { Offsite } from '@keen-larder/server/offsite/offsite.ts';
import { complain, say } from './output.ts';

export interface ScrubOptions {
  readonly home: string;
  readonly all?: boolean;
  readonly json?: boolean;
}

/**
 * Reads what is stored again; what is damaged is repaired from off-site where a passphrase is given in the environment.
 * @returns 0 where all of it is as it was, 1 where not
 */
export async function scrubShelf({ home, all = false, json = false }: ScrubOptions): Promise<number> {
  const app = await openKeenLarder({
    ...sealSecretOf(process.env),
    home,
    addresses: [],
    log: pino({ level: 'error' }, pino.destination(2)),
  });
  try {
    const passphrase = process.env['KEEN_LARDER_PASSPHRASE'];
    if (passphrase !== undefined) await unlockAny(app.offsite.inUse, passphrase);
    const bytes = await app.scrubber.readNow(all);
    const view = app.scrubber.view();
    const damaged = app.larder.list().filter((set) => set.damaged);
    if (json)
      say(
        JSON.stringify({ ...view, bytes, damaged: damaged.map(({ id, label }) => ({ id, label })) }, null, 2),
      );
    else {
      say(`${sizeText(bytes)} read`);
      for (const { label, nickname } of damaged) complain(`DAMAGED  ${label} (${nickname})`);
    }
    return damaged.length > 0 || view.damagedChunks > 0 ? 1 : 0;
  } finally {
    await app.close();
  }
}

/** Opens the copies that a passphrase opens. @throws SealFailure where it opens none of them */
async function unlockAny(copies: readonly Offsite[], passphrase: string): Promise<void> {
  let failure: SealFailure | undefined;
  for (const copy of copies)
    try {
      await copy.unlock(passphrase);
    } catch (error) {
      if (!(error instanceof SealFailure)) throw error;
      failure = error;
    }
  if (failure && copies.every(({ isOpen }) => !isOpen)) throw failure;
}
