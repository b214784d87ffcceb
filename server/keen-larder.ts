import { createHash } from 'node:crypto';
import { isLive } from '@keen-larder/contract/runs.ts';
import { useHashesOf } from '@keen-larder/core/bytes/hashing.ts';
import { join } from 'node:path';
import { Bench } from './bench/bench.ts';
import { Forecaster } from './bench/forecaster.ts';
import { PhoneSides } from './bench/phone-sides.ts';
import { Surveys } from './bench/surveys.ts';
import { addressStatements } from './database/addresses.ts';
import { chunkStatements } from './database/chunks.ts';
import { copyStatements } from './database/copies.ts';
import { digestStatements } from './database/digests.ts';
import { aloneStatements } from './database/offsite/offsite.ts';
import { openDatabase } from './database/open.ts';
import { phoneStatements } from './database/phones.ts';
import { returnStatements } from './database/returns.ts';
import { runStatements, type RunStatements } from './database/runs.ts';
import { setStatements } from './database/sets.ts';
import { nameStatements } from './database/names/names.ts';
import {
  larderTimeStatements,
  settingStatements,
  shelfStatements,
  type SettingStatements,
} from './database/shelves.ts';
import { cableStatements, paceStatements } from './database/cables.ts';
import { scrubFindingStatements } from './database/upkeep/scrub-findings.ts';
import { keepRuleStatements } from './database/upkeep/keep-rules.ts';
import { phoneRowStatements } from './database/erasing/phone-rows.ts';
import { surveyStatements } from './database/surveys.ts';
import { knownLists, type KnownLists } from './database/known/known-lists.ts';
import { jobStatements } from './database/jobs/jobs.ts';
import { operatorStatements } from './database/people/operators.ts';
import { recordStatements } from './database/people/record.ts';
import { unfinishedStatements } from './database/unfinished.ts';
import { Feed } from './events/feed.ts';
import { Rescue } from './rescue/rescue.ts';
import { Incoming } from './imports/incoming.ts';
import { Comparing } from './larder/comparing/comparing.ts';
import { Erasing } from './larder/erasing/erasing.ts';
import { Finding } from './larder/finding/finding.ts';
import { NameIndex } from './larder/finding/name-index.ts';
import { Inside } from './larder/inside/inside.ts';
import { AppCopies, RecordCopies } from './larder/copies.ts';
import { Larder } from './larder/larder.ts';
import { beginTidying } from './larder/upkeep/tidying.ts';
import { Order } from './larder/upkeep/order.ts';
import { OrderTimer } from './larder/upkeep/order-timer.ts';
import type { Scrubber } from './larder/upkeep/scrubber.ts';
import { PieceFiller } from './larder/upkeep/piece-filler.ts';
import { scrubberOf } from './larder/upkeep/scrubber-of.ts';
import { isThere, Snapshots } from './larder/snapshots.ts';
import { LarderTime } from './larder/larder-time.ts';
import { jobFileStatements } from './database/jobs/job-files.ts';
import { JobFiles } from './jobs/job-files.ts';
import { Jobs } from './jobs/jobs.ts';
import { GoingOn } from './offsite/going-on.ts';
import { keptThings } from './offsite/kept-things.ts';
import { OffsiteCopies } from './offsite/offsite-copies.ts';
import { adbKeyOf } from './links/adb/key.ts';
import { openHome } from './disk/home.ts';
import { Reserve } from './disk/reserve.ts';
import { plainWords } from './failures.ts';
import { People } from './people/people.ts';
import { ShopRecord } from './people/shop-record.ts';
import { lockHome } from './lock.ts';
import type { RunContext } from './runs/engine/run-context.ts';
import { usualRetryPolicy } from './runs/phone/phone-at-work.ts';
import { otherUse } from './runs/other-use.ts';
import { RunLedger } from './runs/engine/run-ledger.ts';
import { RunEngine } from './runs/engine/run-engine.ts';
import { copyRoutinesOf, type CopyRoutines } from './runs/apps/copy-routine.ts';
import { copyRoutineStatements } from './database/upkeep/copy-routines.ts';
import { turnedOffStatements } from './database/upkeep/turned-off.ts';
import { RecordSheets } from './runs/records/record-sheets.ts';
import { AppSheets } from './runs/apps/app-sheets.ts';
import { ImagingSheets } from './runs/imaging/imaging-sheets.ts';
import { RestoringSheets } from './runs/restoring/restoring-sheets.ts';
import { goOnOffSite } from './runs/files/copying-off-site.ts';
import { startOrdering } from './runs/files/ordering.ts';
import { kindsOfRun } from './runs/kinds-of-run.ts';
import { Shelf, type ShelfFinding } from './shelf/shelf.ts';
import { openedSeal } from './shelf/shelf-seal.ts';
import { Resealing } from './larder/sealing/resealing.ts';
import type { Options } from './options.ts';
import { reconciled } from './larder/reconciled.ts';
import { Exports } from './larder/exports/exports.ts';
import { exportStatements } from './database/exports/exports.ts';
import { ShelfWorkers } from './shelf/threads/workers.ts';

useHashesOf((name) => createHash(name));

export type { Options };

const minute = 60_000;

/** The whole application without its HTTP interface. */
export interface KeenLarder extends RunContext {
  readonly incoming: Incoming;
  readonly inside: Inside;
  readonly comparing: Comparing;
  readonly finding: Finding;
  readonly nameIndex: NameIndex;
  readonly settings: SettingStatements;
  readonly offsite: OffsiteCopies;
  readonly jobs: Jobs;
  readonly jobFiles: JobFiles;
  readonly people: People;
  readonly record: ShopRecord;
  readonly erasing: Erasing;
  readonly resealing: Resealing;
  readonly order: Order;
  readonly scrubber: Scrubber;
  readonly pieceFiller: PieceFiller;
  readonly orderTimer: OrderTimer;
  readonly copyRoutines: CopyRoutines;
  readonly forecaster: Forecaster;
  readonly phoneSides: PhoneSides;
  readonly rescue: Rescue;
  readonly known: KnownLists;
  readonly runRows: RunStatements;
  readonly feed: Feed;
  /** On a full disk, gives free what is held back so that things can be deleted. */
  makeRoom(): void;
  /** Of UTC, at a time: papers tell the shop's own. */
  readonly minutesEast: (at: number) => number;
  close(): Promise<void>;
}

/** Of UTC, at a time. */
const minutesEast = (at: number) => -new Date(at).getTimezoneOffset();

export async function openKeenLarder(options: Options): Promise<KeenLarder> {
  const { home, log, sealSecret } = options;
  const now = options.now ?? Date.now;
  const retryPolicy = { ...usualRetryPolicy, ...options.retryPolicy };
  openHome(home);
  const reserve = new Reserve(home);
  reserve.releaseIfShort();
  const unlock = lockHome(home);
  const shelfPath = join(home, 'shelf');
  const snapshots = new Snapshots(shelfPath, now);
  const cataloguePath = join(home, 'catalogue.sqlite');
  if (!isThere(cataloguePath)) {
    const at = await snapshots.restoreTo(cataloguePath, await openedSeal(shelfPath, sealSecret));
    if (at) log.warn(`The catalogue was lost. It is back as it was on ${new Date(at).toISOString()}.`);
  }
  const db = openDatabase(cataloguePath, (older) => snapshots.takeBeforeMigrating(older));
  const phones = phoneStatements(db);
  const sets = setStatements(db);
  const chunks = chunkStatements(db);
  const runs = runStatements(db);
  const digests = digestStatements(db);
  const unfinished = unfinishedStatements(db);
  const returns = returnStatements(db);
  const paces = paceStatements(db);
  const known = knownLists(db);
  const feed = new Feed(Date.now());

  const workers = options.workers ?? new ShelfWorkers();
  const time = new LarderTime(larderTimeStatements(db), now);
  const catalogue = { chunks, identity: shelfStatements(db), now, nowMs: () => time.nowMs };
  const { shelf, findings } = await Shelf.open(shelfPath, 'Bench disk', catalogue, workers, sealSecret);
  const copyRows = copyStatements(db);
  const forCopies = { shelf, statements: copyRows, phones, feed, now, time };
  const copies = new AppCopies(forCopies);
  const records = new RecordCopies(forCopies);
  const larder = new Larder({ shelf, sets, phones, chunks, unfinished, copies, records, feed, now, time });
  const tell = (found: readonly ShelfFinding[]) =>
    found.forEach(({ level, text }) => log[level === 'warning' ? 'warn' : 'info'](text));
  tell([...findings, ...(await reconciled(larder))]);

  const bench = new Bench(
    {
      addresses: options.addresses,
      ...(options.adbServerPort !== undefined && { adbServerPort: options.adbServerPort }),
      ...(options.usbBus !== undefined && { usbBus: options.usbBus }),
      adbKey: options.adbKey ?? (await adbKeyOf(home)),
      stallMs: retryPolicy.stallMs,
      pollMs: options.pollMs ?? 1000,
      overdueMs: options.overdueMs ?? 2 * minute,
      nicknames: options.nicknames ?? {},
      surveysNew: options.surveysNew ?? false,
      now,
      unforeseen: (error) => log.error({ err: error as Error }, 'a phone did what was not foreseen'),
    },
    phones,
    sets,
    digests,
    addressStatements(db),
    new Surveys(surveyStatements(db), cableStatements(db), now, options.packsOnCables),
    feed,
  );
  const ledger = new RunLedger(runs, reserve, (error) =>
    log.warn(`The story of a run could not be written: ${plainWords(error)}`),
  );
  const engine = new RunEngine(
    ledger,
    unfinished,
    returns,
    kindsOfRun,
    feed,
    now,
    (serial) => phones.one(serial)?.nickname ?? serial,
    (serial) => bench.announce(serial),
    (serial) => bench.linkIn(serial)?.close(),
  );
  bench.runOf = (serial) => engine.runOf(serial);
  for (const run of engine.closeInterrupted()) log.warn({ run: run.id, serial: run.serial }, run.outcome);
  larder.bin.otherUse = (id) => otherUse(engine, unfinished, id);
  const tidying = await beginTidying({ ledger, time, larder, shelf, snapshots, db, log });
  await workers.warmUp();
  bench.start();
  const incoming = new Incoming(home, options.settledMs ?? 1500, () => feed.send('imports', {}));
  await incoming.start();

  const forecaster = new Forecaster(bench, larder);
  const phoneSides = new PhoneSides(bench);
  const inside = new Inside(larder);
  const exportFolder = join(home, 'exports');
  const exports = new Exports({
    ...{ folder: exportFolder, now },
    folders: options.exportFolders ?? [],
    rows: exportStatements(db),
  });
  const isBusy = () => engine.list().some(isLive);
  const settings = settingStatements(db);
  const names = nameStatements(join(home, 'names.sqlite'));
  const alone = aloneStatements(db);
  const nameIndex = new NameIndex({ names, sets, copies: copyRows, alone, settings, inside, isBusy });
  const offsite = new OffsiteCopies(db, {
    ...{ home, shelf, now },
    things: () => keptThings(shelf, sets, copyRows),
    onChange: () => {
      nameIndex.look();
      feed.send('offsite', {});
    },
  });
  const goingOn = offsite.all.map(
    (each) =>
      new GoingOn({
        ...{ isBusy, now },
        mayGoOn: (hour) => each.mayGoOn(hour),
        goOn: () => goOnOffSite(app, each.copy),
      }),
  );
  copies.onChange = () => nameIndex.look();
  larder.onChange = () => {
    nameIndex.look();
    goingOn.forEach((each) => each.look());
  };
  const scrubber = scrubberOf({
    ...{ shelf, chunks, sets, now, isBusy, larder, offsite, log },
    copies: copyRows,
    findings: scrubFindingStatements(db),
    days: options.scrubDays,
    onDamage() {
      larder.changed();
      copies.changed();
    },
  });
  const renewSnapshots = () => snapshots.renew(db, shelf.seal);
  const resealing = new Resealing({
    ...{ shelf, chunks, isBusy, renewSnapshots },
    identity: catalogue.identity,
    alone: (work) => larder.bin.alone(work),
    onUnlocked: async () => tell(await reconciled(larder)),
    onChange: () => larder.changed(),
  });
  resealing.look();
  const pieceFiller = new PieceFiller({ shelf, sets, larder, isBusy });
  const orderTimer = new OrderTimer({
    ...{ settings, now },
    mustWait: () => isBusy() || shelf.absence !== undefined,
    carryOut: async () => {
      const run = await startOrdering(app);
      if (run) await engine.ended(run.id);
    },
  });
  const copyRoutines = copyRoutinesOf(() => app, copyRoutineStatements(db), minutesEast);
  for (const each of [nameIndex, scrubber, pieceFiller, ...goingOn, orderTimer, copyRoutines]) each.start();
  const jobRows = jobStatements(db);
  const jobFiles = new JobFiles(jobFileStatements(join(home, 'job-files.sqlite')), now);
  const jobs = new Jobs({
    ...{ rows: jobRows, files: jobFiles, phones, larder, feed, now, minutesEast },
    ...{ runs: () => engine.list(), proofOf: (id) => returns.proof(id) },
  });
  const app: KeenLarder = {
    bench,
    jobs,
    jobFiles,
    people: new People(operatorStatements(db), now),
    record: new ShopRecord(recordStatements(db), now),
    larder,
    forecaster,
    rescue: new Rescue(bench, larder, forecaster, unfinished),
    incoming,
    known,
    inside,
    comparing: new Comparing(larder, inside, (serial, setId) => phoneSides.of(serial, setId)),
    phoneSides,
    finding: new Finding({ larder, names, sets, alone, phones, copies: copyRows }),
    nameIndex,
    settings,
    offsite,
    erasing: new Erasing({
      ...{ larder, shelf, sets, names, offsite, exportFolder, exports },
      ...{ copies: copyRows, rows: phoneRowStatements(db), renewSnapshots, jobFiles },
      isBusy: (serial) => engine.runOf(serial) !== undefined,
      isHere: (serial) => bench.linkIn(serial) !== undefined,
    }),
    scrubber,
    pieceFiller,
    orderTimer,
    copyRoutines,
    resealing,
    order: new Order({
      ...{ larder, shelf, sets, unfinished, copies, now },
      ...{ jobs: jobRows, rules: keepRuleStatements(db) },
    }),
    engine,
    imagingSheets: new ImagingSheets(bench, larder, runs, paces),
    restoringSheets: new RestoringSheets(bench, larder, runs, paces, phones, forecaster, minutesEast),
    appSheets: new AppSheets(bench, larder, runs, turnedOffStatements(db), known.purposes, now),
    recordSheets: new RecordSheets(bench, larder),
    ...{ digests, paces, phones, returns, unfinished, runRows: runs, retryPolicy, feed },
    makeRoom: () => reserve.releaseIfShort(),
    minutesEast,
    now,
    startLimitMs: options.startLimitMs ?? 25 * minute,
    exportFolder,
    exports,
    async close() {
      tidying.stop();
      goingOn.forEach((each) => each.stop());
      orderTimer.stop();
      copyRoutines.stop();
      await Promise.all([scrubber.stop(), pieceFiller.stop(), nameIndex.stop(), resealing.close()]);
      await engine.stop();
      await incoming.stop();
      await bench.stop();
      shelf.close();
      if (!options.workers) await workers.close();
      ledger.settle();
      time.save();
      names.close();
      jobFiles.close();
      db.close();
      unlock();
    },
  };
  return app;
}
