import type { AppView, CopyRoutine } from '@keen-larder/contract/copies.ts';
import type { AppParts } from '@keen-larder/contract/requests/apps.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { obstacles, type RunSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { CopyRoutineStatements } from '../../database/upkeep/copy-routines.ts';
import { plainWords } from '../../failures.ts';
import type { RunContext } from '../engine/run-context.ts';
import { startCopying } from './copying.ts';

const everyMs = 20_000;
/** Whoever has just connected a phone has something in mind: it is left alone for so long. */
const settledMs = 120_000;
/** A program that is kept already is not read; each copy is whole all the same. */
const parts: readonly PartKind[] = ['program', 'data', 'device-data'];

export interface CopyRoutineParts {
  readonly rows: CopyRoutineStatements;
  readonly now: () => number;
  /** East of UTC, at a time: days are the bench's own. */
  readonly minutesEast: (at: number) => number;
  /** Since when a phone's system has been there with root, and no run at work on it; undefined where that is not so. */
  readonly readySince: (serial: string) => number | undefined;
  readonly views: (serial: string) => Promise<readonly AppView[]>;
  readonly sheet: (serial: string, apps: AppParts[]) => Promise<RunSheet>;
  readonly copy: (serial: string, apps: AppParts[], remark: string) => Promise<RunView>;
  readonly ended: (id: string) => Promise<RunView>;
  readonly onChange: (serial: string) => void;
  /** For tests. */
  readonly settledMs?: number;
}

/** Copies what changed of the apps of some phones by itself: once a day, when the phone is there and nobody works with it. */
export class CopyRoutines {
  private timer: NodeJS.Timeout | undefined;
  private isUnderWay = false;

  constructor(private readonly of: CopyRoutineParts) {}

  start(): void {
    this.timer = setInterval(() => void this.step(), everyMs);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  view(serial: string): CopyRoutine {
    const row = this.of.rows.one(serial);
    return { isOn: row !== undefined, at: row?.at ?? undefined, said: row?.said ?? undefined };
  }

  turn(serial: string, isOn: boolean): CopyRoutine {
    if (isOn) this.of.rows.begin(serial);
    else this.of.rows.end(serial);
    return this.view(serial);
  }

  /** Goes through the phones whose day it is, one after the other. */
  async step(): Promise<void> {
    if (this.isUnderWay) return;
    this.isUnderWay = true;
    try {
      for (const { serial, at } of this.of.rows.all())
        if (this.isTime(serial, at)) await this.goThrough(serial);
    } finally {
      this.isUnderWay = false;
    }
  }

  private isTime(serial: string, at: number | null): boolean {
    const { now, readySince, settledMs: settled = settledMs } = this.of;
    const since = readySince(serial);
    if (since === undefined || now() - since < settled) return false;
    return at === null || this.dayOf(at) !== this.dayOf(now());
  }

  private readonly dayOf = (at: number) => Math.floor((at + this.of.minutesEast(at) * 60_000) / 86_400_000);

  private async goThrough(serial: string): Promise<void> {
    const { views, sheet, copy, ended, now } = this.of;
    try {
      const own = (await views(serial)).filter(({ installed }) => installed && !installed.isBuiltIn);
      const changed = own.filter(({ change }) => change !== 'as-kept');
      const same = own.length - changed.length;
      if (changed.length === 0) {
        this.say(serial, now(), `Nothing changed: ${appsText(same)} as kept.`);
        return;
      }
      const apps = changed.map(({ package: name }) => ({ package: name, parts: [...parts] }));
      const hindered = obstacles(await sheet(serial, apps), []);
      if (hindered.length > 0) {
        this.say(serial, undefined, `Put off: ${hindered.map(({ title }) => title).join('; ')}.`);
        return;
      }
      const skipped = same > 0 ? ` ${appsText(same)} as kept, and skipped.` : '';
      const remark = `By routine: ${appsText(changed.length)} changed since the last copy.${skipped}`;
      const run = await ended((await copy(serial, apps, remark)).id);
      // What was broken off is gone through again once the phone is there.
      const isOver = run.state === 'done' || run.state === 'incomplete' || run.state === 'cancelled';
      this.say(serial, isOver ? now() : undefined, `${run.outcome ?? run.state}${skipped}`);
    } catch (error) {
      this.say(serial, undefined, `Put off: ${plainWords(error)}`);
    }
  }

  private say(serial: string, at: number | undefined, said: string): void {
    this.of.rows.say(serial, at, said);
    this.of.onChange(serial);
  }
}

/** The routines of an application. @param context once it is open */
export const copyRoutinesOf = (
  context: () => RunContext,
  rows: CopyRoutineStatements,
  minutesEast: CopyRoutineParts['minutesEast'],
): CopyRoutines =>
  new CopyRoutines({
    ...{ rows, minutesEast, now: () => context().now() },
    readySince(serial) {
      const { engine, bench } = context();
      return engine.runOf(serial) ? undefined : bench.rootedSystemSince(serial);
    },
    views: (serial) => context().appSheets.views(serial),
    sheet: (serial, apps) => context().appSheets.copying(serial, { apps }),
    copy: (serial, apps, remark) => startCopying(context(), serial, { apps, confirmed: [] }, remark),
    ended: (id) => context().engine.ended(id),
    onChange: (serial) => context().bench.announce(serial),
  });

const appsText = (count: number) => (count === 1 ? 'one app' : `${count} apps`);
