import { leastPassphrase } from '@keen-larder/core/larder/passphrase.ts';
import { Problem } from '../failures.ts';

/** @throws Problem 422 where a new passphrase is too short */
export function requireLong(passphrase: string): void {
  if (passphrase.length < leastPassphrase)
    throw new Problem(
      422,
      `Choose a passphrase of at least ${leastPassphrase} letters: several words are easy to remember.`,
    );
}
