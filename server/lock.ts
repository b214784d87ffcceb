import { join } from 'node:path';
import Sqlite from 'better-sqlite3';

/**
 * Makes sure that one program alone works in a home folder. The operating system lets go of the lock
 * when the program ends, however it ends.
 * @throws Error when another program has it
 */
export function lockHome(home: string): () => void {
  const lock = new Sqlite(join(home, 'lock.sqlite'), { timeout: 0 });
  try {
    // Nothing is ever written to it: it needs no journal, which a full disk would not take.
    lock.pragma('journal_mode = MEMORY');
    lock.exec('BEGIN EXCLUSIVE');
  } catch (error) {
    lock.close();
    if ((error as { code?: string }).code !== 'SQLITE_BUSY') throw error;
    throw new Error(
      `Another Keen Larder works in ${home}. End it first, or choose another folder with --home.`,
    );
  }
  return () => lock.close();
}
