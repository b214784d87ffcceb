import { randomUUID } from 'node:crypto';
import type { JobDetail, JobPhone, JobView } from '@keen-larder/contract/jobs.ts';
import type { JobChange, JobDraft } from '@keen-larder/contract/requests/jobs.ts';
import { isLive, runsThatChange, type ProofView, type RunView } from '@keen-larder/contract/runs.ts';
import { handOverReport, type Report, type Shop } from '@keen-larder/core/jobs/report.ts';
import {
  beforeHandingOver,
  isOpen,
  stageReached,
  type Agreed,
  type JobEvents,
  type JobStage,
} from '@keen-larder/core/jobs/stages.ts';
import type { JobRow, JobStatements } from '../database/jobs/jobs.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { Feed } from '../events/feed.ts';
import { Problem } from '../failures.ts';
import type { Larder } from '../larder/larder.ts';

interface JobsParts {
  readonly rows: JobStatements;
  readonly phones: PhoneStatements;
  readonly larder: Pick<Larder, 'list' | 'detail' | 'copies' | 'records'>;
  /** All runs, the newest first. */
  readonly runs: () => readonly RunView[];
  readonly proofOf: (runId: string) => ProofView | undefined;
  readonly feed: Feed;
  readonly now: () => number;
  /** Of UTC, at a time. */
  readonly minutesEast: (at: number) => number;
}

/** What was done with the phones of a card while it was open. */
interface Done {
  readonly events: JobEvents;
  readonly sets: ReturnType<Larder['list']>;
  readonly runs: readonly RunView[];
  readonly copyCount: number;
}

/** Visits of phones to the shop. What is done with a phone while its card is open belongs to it by itself. */
export class Jobs {
  constructor(private readonly parts: JobsParts) {}

  /** The newest first. */
  list(): JobView[] {
    const phones = this.phonesByJob();
    return this.parts.rows.all().map((row) => this.viewOf(row, phones.get(row.id) ?? []));
  }

  /** @throws Problem 404 */
  detail(id: string): JobDetail {
    const row = this.row(id);
    const phones = this.phonesByJob().get(id) ?? [];
    const { events, sets, runs, copyCount } = this.doneFor(row, phones);
    const view = this.viewOf(row, phones);
    return {
      ...view,
      notes: this.parts.rows.notes(id),
      sets: sets.map((set) => ({
        ...{ id: set.id, label: set.label, createdAt: set.createdAt, complete: set.complete },
      })),
      runs: runs.map((run) => ({
        ...{ id: run.id, kind: run.kind, title: run.title, state: run.state },
        ...{ startedAt: run.startedAt, hasProof: run.hasProof },
      })),
      copyCount,
      done: stageReached('received', events),
      beforeHandingOver: beforeHandingOver(view.agreed, events, runs.filter(isLive).length),
    };
  }

  /** What goes onto paper when its phones are handed over. @throws Problem 404 */
  report(id: string, shop: Shop): Report {
    const { larder, proofOf, now, minutesEast } = this.parts;
    const detail = this.detail(id);
    const proofs = detail.runs.flatMap((run) => (run.hasProof ? [proofOf(run.id)] : []));
    const facts = {
      ...{ ...detail, shop, writtenAt: now() },
      sets: detail.sets.map(({ id: setId }) => larder.detail(setId)),
      proofs: proofs.filter((proof) => proof !== undefined).sort((a, b) => a.at - b.at),
    };
    return handOverReport(facts, minutesEast);
  }

  /** @throws Problem 404 where a phone is not known, 409 where one has an open card already */
  open({ serials, agreed, ...texts }: JobDraft): JobDetail {
    const { rows, now } = this.parts;
    this.requireFree(serials);
    const row: JobRow = {
      ...{ id: randomUUID(), number: rows.nextNumber(), ...texts, agreed: JSON.stringify(agreed) },
      ...{ stage: 'received', openedAt: now(), handedOverAt: null },
    };
    rows.save(row, serials);
    this.changed();
    return this.detail(row.id);
  }

  /** @throws Problem 404, 409 */
  change(id: string, { serials, agreed, stage, ...texts }: JobChange): JobDetail {
    const before = this.row(id);
    const next = stage ?? (before.stage as JobStage);
    const wasOpen = isOpen(before.stage as JobStage);
    if (isOpen(next) && (serials !== undefined || !wasOpen))
      this.requireFree(
        serials ??
          this.phonesByJob()
            .get(id)!
            .map(({ serial }) => serial),
        id,
      );
    this.parts.rows.save(
      {
        ...before,
        ...texts,
        ...(agreed && { agreed: JSON.stringify(agreed) }),
        stage: next,
        handedOverAt: isOpen(next) ? null : (before.handedOverAt ?? this.parts.now()),
      },
      serials,
    );
    this.changed();
    return this.detail(id);
  }

  /** @throws Problem 404 */
  note(id: string, text: string): JobDetail {
    this.row(id);
    this.parts.rows.addNote(id, this.parts.now(), text.trim());
    this.changed();
    return this.detail(id);
  }

  private viewOf(row: JobRow, phones: readonly JobPhone[]): JobView {
    const { id, number, who, contact, complaint, arrival, accessories, openedAt } = row;
    return {
      ...{ id, number, who, contact, complaint, arrival, accessories, openedAt },
      agreed: JSON.parse(row.agreed) as Agreed,
      stage: stageReached(row.stage as JobStage, this.doneFor(row, phones).events),
      handedOverAt: row.handedOverAt ?? undefined,
      phones,
    };
  }

  private doneFor({ openedAt, handedOverAt }: JobRow, phones: readonly JobPhone[]): Done {
    const { larder, runs: allRuns } = this.parts;
    const serials = new Set(phones.map(({ serial }) => serial));
    const isWithin = (at: number) => at >= openedAt && at <= (handedOverAt ?? Infinity);
    const isOfCard = (each: { readonly serial?: string | undefined }, at: number) =>
      each.serial !== undefined && serials.has(each.serial) && isWithin(at);
    const sets = larder
      .list()
      .filter((set) => !set.imported && set.binnedAt === undefined && isOfCard(set, set.createdAt));
    const runs = allRuns().filter((run) => isOfCard(run, run.startedAt));
    const ended = runs.filter(({ state }) => state === 'done');
    const copies = [...larder.copies.list(), ...larder.records.list()];
    return {
      events: {
        wholeSets: sets.filter(({ complete }) => complete).length,
        changes: ended.filter(({ kind }) => runsThatChange.has(kind)).length,
        proofs: ended.filter(({ hasProof }) => hasProof).length,
      },
      sets,
      runs,
      copyCount: copies.filter((copy) => isOfCard(copy, copy.createdAt)).length,
    };
  }

  private phonesByJob(): Map<string, JobPhone[]> {
    const found = new Map<string, JobPhone[]>();
    for (const { jobId, ...phone } of this.parts.rows.phones())
      found.set(jobId, [...(found.get(jobId) ?? []), phone]);
    return found;
  }

  /** @throws Problem 404, 409 */
  private requireFree(serials: readonly string[], except?: string): void {
    for (const serial of serials) {
      const phone = this.parts.phones.one(serial);
      if (!phone) throw new Problem(404, `No phone with the serial ${serial} is known. Connect it first.`);
      const other = this.list().find(
        ({ id, stage, phones }) =>
          id !== except && isOpen(stage) && phones.some((each) => each.serial === serial),
      );
      if (other)
        throw new Problem(
          409,
          `${phone.nickname} is on the open job card ${other.number} of ${other.who}. Hand that over first.`,
        );
    }
  }

  private row(id: string): JobRow {
    const row = this.parts.rows.one(id);
    if (!row) throw new Problem(404, 'There is no such job card.');
    return row;
  }

  private changed(): void {
    this.parts.feed.send('jobs', {});
  }
}
