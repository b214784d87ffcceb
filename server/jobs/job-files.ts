import { createHash, randomUUID } from 'node:crypto';
import type { JobFile } from '@keen-larder/contract/jobs.ts';
import { pictureType } from '@keen-larder/core/jobs/pictures.ts';
import type { JobFileStatements } from '../database/jobs/job-files.ts';
import { Problem } from '../failures.ts';
import { actingName } from '../people/acting.ts';

/** Of one card. */
const mostFiles = 60;

/** Files and photos of job cards: how a phone came, what its owner signed. */
export class JobFiles {
  constructor(
    private readonly rows: JobFileStatements,
    private readonly now: () => number,
  ) {}

  /** The oldest first. */
  of(jobId: string): JobFile[] {
    return this.rows.list(jobId).map(({ id, name, at, operator, bytes, head, sha256 }) => ({
      ...{ id, name, at, bytes, by: operator ?? undefined },
      sha256: sha256.toString('hex'),
      isPicture: pictureType(head) !== undefined,
    }));
  }

  /** @throws Problem 409 where the card has too many, 422 for an empty one */
  add(jobId: string, name: string, content: Buffer): void {
    if (content.length === 0) throw new Problem(422, `${name} is empty.`);
    if (this.rows.list(jobId).length >= mostFiles)
      throw new Problem(409, `A card has room for ${mostFiles} files. Remove one first.`);
    const sha256 = createHash('sha256').update(content).digest();
    const row = { id: randomUUID(), jobId, name, at: this.now(), operator: actingName() ?? null, sha256 };
    this.rows.add(row, content);
  }

  /** @returns its media type; of what is no picture undefined @throws Problem 404 */
  read(jobId: string, id: string): { name: string; content: Buffer; type: string | undefined } {
    const row = this.rows.one(jobId, id);
    if (!row) throw new Problem(404, 'The job card has no such file.');
    return { name: row.name, content: row.content, type: pictureType(row.content) };
  }

  /** @throws Problem 404 */
  remove(jobId: string, id: string): void {
    if (!this.rows.remove(jobId, id)) throw new Problem(404, 'The job card has no such file.');
  }

  /** Removes the files of cards for good. A catalogue that is older than it was knows fewer cards: what it does not know stays. */
  shred(jobIds: readonly string[]): void {
    this.rows.shred(jobIds);
  }

  close(): void {
    this.rows.close();
  }
}
