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
import type { JobFiles } from './job-files.ts';
import type { JobRow, JobStatements } from '../database/jobs/jobs.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { Feed } from '../events/feed.ts';
import { Problem } from '../failures.ts';
import { actingName } from '../people/acting.ts';
import type { Larder } from '../larder/larder.ts';

interface JobsParts {
  readonly rows: JobStatements;
  readonly files: JobFiles;
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

/** Sets, runs and copies, each by the phone's serial. */
interface Work {
  readonly sets: ReadonlyMap<string, ReturnType<Larder['list']>>;
  readonly runs: ReadonlyMap<string, readonly RunView[]>;
  readonly copies: ReadonlyMap<string, readonly { readonly createdAt: number }[]>;
}

/** Visits of phones to the shop. What is done with a phone while its card is open belongs to it by itself. */
export class Jobs {
  constructor(private readonly parts: JobsParts) {}

  /** The newest first. */
  list(): JobView[] {
    const [phones, work] = [this.phonesByJob(), this.work()];
    return this.parts.rows.all().map((row) => this.viewOf(row, phones.get(row.id) ?? [], work));
  }

  /** Tells of what was done with a phone at some time whether it belongs to one of the cards that there are now. */
  belonging(): (done: { readonly serial: string | null; readonly startedAt: number }) => boolean {
    const phones = this.phonesByJob();
    const cards = this.parts.rows.all();
    return ({ serial, startedAt }) =>
      cards.some(
        ({ id, openedAt, handedOverAt }) =>
          startedAt >= openedAt &&
          startedAt <= (handedOverAt ?? Infinity) &&
          phones.get(id)?.some((phone) => phone.serial === serial),
      );
  }

  /** @throws Problem 404 */
  detail(id: string): JobDetail {
    const row = this.row(id);
    const phones = this.phonesByJob().get(id) ?? [];
    const work = this.work();
    const { events, sets, runs, copyCount } = doneFor(row, phones, work);
    const view = this.viewOf(row, phones, work);
    return {
      ...view,
      notes: this.parts.rows
        .notes(id)
        .map(({ operator, ...note }) => ({ ...note, by: operator ?? undefined })),
      files: this.parts.files.of(id),
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
    const { larder, proofOf, minutesEast } = this.parts;
    const detail = this.detail(id);
    const proofs = detail.runs.flatMap((run) => (run.hasProof ? [proofOf(run.id)] : []));
    const facts = {
      ...{ ...detail, shop },
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
      this.requireFree(serials ?? this.serialsOf(id), before);
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
    this.parts.rows.addNote(id, this.parts.now(), text.trim(), actingName());
    this.changed();
    return this.detail(id);
  }

  /** @throws Problem 404, 409, 422 */
  addFile(id: string, name: string, content: Buffer): JobDetail {
    this.row(id);
    this.parts.files.add(id, name, content);
    this.changed();
    return this.detail(id);
  }

  /** @throws Problem 404 */
  removeFile(id: string, file: string): JobDetail {
    this.row(id);
    this.parts.files.remove(id, file);
    this.changed();
    return this.detail(id);
  }

  private viewOf(row: JobRow, phones: readonly JobPhone[], work = this.work()): JobView {
    const { id, number, who, contact, complaint, arrival, accessories, openedAt } = row;
    return {
      ...{ id, number, who, contact, complaint, arrival, accessories, openedAt },
      agreed: JSON.parse(row.agreed) as Agreed,
      stage: stageReached(row.stage as JobStage, doneFor(row, phones, work).events),
      handedOverAt: row.handedOverAt ?? undefined,
      phones,
    };
  }

  /** Gone through once for all cards of a list. */
  private work(): Work {
    const { larder, runs } = this.parts;
    return {
      sets: bySerial(larder.list().filter((set) => !set.imported && set.binnedAt === undefined)),
      runs: bySerial(runs()),
      copies: bySerial([...larder.copies.list(), ...larder.records.list()]),
    };
  }

  private phonesByJob(): Map<string, JobPhone[]> {
    const found = new Map<string, JobPhone[]>();
    for (const { jobId, ...phone } of this.parts.rows.phones())
      found.set(jobId, [...(found.get(jobId) ?? []), phone]);
    return found;
  }

  /** @param except a card of their own @throws Problem 404, 409 */
  private requireFree(serials: readonly string[], except?: JobRow): void {
    const open = this.parts.rows.openPhones();
    for (const serial of serials) {
      const phone = this.parts.phones.one(serial);
      if (!phone) throw new Problem(404, `No phone with the serial ${serial} is known. Connect it first.`);
      const number = open.get(serial);
      if (number !== undefined && number !== except?.number)
        throw new Problem(409, `${phone.nickname} is on the open job card ${number}. Hand that over first.`);
    }
  }

  private serialsOf(id: string): string[] {
    return (this.phonesByJob().get(id) ?? []).map(({ serial }) => serial);
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

/** What was done with the phones of a card while it was open. */
function doneFor({ openedAt, handedOverAt }: JobRow, phones: readonly JobPhone[], work: Work): Done {
  const of = <T>(all: ReadonlyMap<string, readonly T[]>, timeOf: (each: T) => number) =>
    phones
      .flatMap(({ serial }) => all.get(serial) ?? [])
      .filter((each) => timeOf(each) >= openedAt && timeOf(each) <= (handedOverAt ?? Infinity));
  const sets = of(work.sets, ({ createdAt }) => createdAt);
  const runs = of(work.runs, ({ startedAt }) => startedAt);
  const ended = runs.filter(({ state }) => state === 'done');
  return {
    events: {
      wholeSets: sets.filter(({ complete }) => complete).length,
      changes: ended.filter(({ kind }) => runsThatChange.has(kind)).length,
      proofs: ended.filter(({ hasProof }) => hasProof).length,
    },
    sets,
    runs,
    copyCount: of(work.copies, ({ createdAt }) => createdAt).length,
  };
}

function bySerial<T extends { readonly serial: string | undefined }>(all: readonly T[]): Map<string, T[]> {
  const found = new Map<string, T[]>();
  for (const each of all) {
    if (each.serial === undefined) continue;
    const list = found.get(each.serial);
    if (list) list.push(each);
    else found.set(each.serial, [each]);
  }
  return found;
}
