import type { Logger } from 'pino';
import { plainWords } from '../../failures.ts';
import type { Database } from '../../database/open.ts';
import type { RunLedger } from '../../runs/engine/run-ledger.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import { binMs } from '../bin.ts';
import type { LarderTime } from '../larder-time.ts';
import type { Larder } from '../larder.ts';
import type { Snapshots } from '../snapshots.ts';

const everyMs = 60 * 60_000;
/** Between two looks for a shelf that is away. */
const awayPollMs = 3000;

interface TidyingParts {
  readonly ledger: RunLedger;
  readonly time: LarderTime;
  readonly larder: Larder;
  readonly shelf: Shelf;
  readonly snapshots: Snapshots;
  readonly db: Database;
  readonly log: Logger;
}

/** What is done every hour, and at once: the bin is emptied of what has lain there long, the catalogue copied to the shelf. */
export async function beginTidying({
  ledger,
  time,
  larder,
  shelf,
  snapshots,
  db,
  log,
}: TidyingParts): Promise<{ stop(): void }> {
  const tidy = async () => {
    ledger.settle();
    time.save();
    // What cannot be freed now is freed another time.
    await larder.bin
      .empty(binMs)
      .catch((error: unknown) => log.warn(`Nothing was freed: ${plainWords(error)}`));
    if (shelf.absence !== undefined || shelf.doubts.size > 0) return;
    await snapshots
      .takeIfDue(db, shelf.seal)
      .catch((error: unknown) => log.warn(`The catalogue was not copied to the shelf: ${plainWords(error)}`));
  };
  await tidy();
  const tidying = setInterval(() => void tidy(), everyMs);
  const awaitingShelf = setInterval(() => {
    if (shelf.absence !== undefined) larder.requireShelf().catch(() => undefined);
  }, awayPollMs);
  return {
    stop() {
      clearInterval(tidying);
      clearInterval(awaitingShelf);
    },
  };
}
