import { digestsOf } from '../../shelf/manifest.ts';
import type {
  AppView,
  CopyView,
  LeftoverView,
  MovingView,
  TurnedOffView,
} from '@keen-larder/contract/copies.ts';
import type {
  ChangingAppsRequest,
  CopyingRequest,
  LeftoversRequest,
  MovingRequest,
  PuttingAppsRequest,
  WaitingRequest,
} from '@keen-larder/contract/requests/apps.ts';
import { changeSince, type AppChange, type PartKind } from '@keen-larder/core/apps/copies.ts';
import { needsCopy, turnedOffAmong, type TurnedOff } from '@keen-larder/core/apps/built-in.ts';
import { userOf } from '@keen-larder/core/apps/ids.ts';
import type { AppFacts } from '@keen-larder/core/apps/facts.ts';
import {
  changingSheet,
  leftoversSheet,
  copyingSheet,
  movingSheet,
  movingVerdicts,
  puttingAppsSheet,
  type AppSurroundings,
  type MovingFacts,
  type MovingSheet,
  type PuttingAppsFacts,
  type RunSheet,
  type WaitingProgram,
  waitingSheet,
} from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Bench } from '../../bench/bench.ts';
import { userOn, usersOf } from '../../bench/phone-users.ts';
import type { RunStatements } from '../../database/runs.ts';
import type { PurposeStatements } from '../../database/known/purposes.ts';
import type { TurnedOffStatements } from '../../database/upkeep/turned-off.ts';
import type { Larder } from '../../larder/larder.ts';
import type { AppWork } from '../../links/app-access.ts';
import type { PhoneLink } from '../../links/phone-link.ts';
import { pastSpeed } from '../engine/past-speed.ts';
import { workOf } from '../phone/phone-access.ts';
import { findLeftovers } from './leftovers/finding.ts';
import { isAsKept } from './app-doubt.ts';
import { Problem } from '../../failures.ts';

/** Gathers the facts about apps: what the phone has, what the larder has, and what run sheets are computed from. */
export class AppSheets {
  constructor(
    private readonly bench: Bench,
    private readonly larder: Larder,
    private readonly runs: RunStatements,
    private readonly turnedOff: TurnedOffStatements,
    private readonly purposes: PurposeStatements,
    private readonly now: () => number,
  ) {}

  /** Apps of a phone that is here, and those of which there are copies; the copies alone where its system does not run. */
  async views(serial: string, user = 0): Promise<AppView[]> {
    const { copies } = this.larder;
    const link = this.bench.linkIn(serial, 'system')?.asUser(user);
    const installed = link?.apps ? await link.apps.list() : [];
    if (installed.length > 0 && user === 0)
      this.turnedOff.save(serial, this.now(), turnedOffAmong(installed));
    const own = byPackage(await this.copiesFor(serial, user));
    const aside = copies.aside();
    const names = new Set([...installed.map((app) => app.package), ...own.keys()]);
    const byName = new Map(installed.map((app) => [app.package, app]));
    return Promise.all(
      [...names].map(async (name): Promise<AppView> => {
        const app = byName.get(name);
        const kept = own.get(name) ?? [];
        const newest = kept[0];
        return {
          package: name,
          label: app?.label ?? newest?.app.label ?? name,
          installed: app,
          copies: kept,
          change: await this.change(link, app, newest),
          isAside: aside.has(name),
        };
      }),
    );
  }

  /** What is off on other phones of the same model, as when their apps were last listed. */
  turnedOffElsewhere(serial: string): TurnedOffView[] {
    return this.turnedOff
      .ofModel(serial)
      .map(({ apps, ...phone }) => ({ ...phone, apps: JSON.parse(apps) as TurnedOff[] }));
  }

  /**
   * A phone's copies of one user's apps; also those of a user of the same kind who is not there any more, as of a work profile that was
   * set up anew, which has another number then.
   */
  private async copiesFor(serial: string, user: number): Promise<CopyView[]> {
    const all = this.larder.copies.of(serial);
    const own = all.filter(({ app }) => userOf(app.uid) === user);
    if (user === 0) return own;
    const users = await usersOf(this.bench, serial);
    const kind = users.find(({ id }) => id === user)?.kind;
    const orphans = all.filter(
      ({ app }) =>
        app.user !== undefined && app.user.kind === kind && !users.some(({ id }) => id === userOf(app.uid)),
    );
    return [...own, ...orphans].sort((a, b) => b.createdAt - a.createdAt);
  }

  private recent(serial: string, user = 0): Promise<AppFacts[]> {
    const { mode } = this.bench.facts(serial);
    return mode === 'system' ? this.bench.apps(serial, user).recent() : Promise.resolve([]);
  }

  async copying(serial: string, { apps, user }: CopyingRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    return copyingSheet({
      phone,
      user: await userOn(this.bench, serial, user),
      installed: await this.recent(serial, user),
      picked: apps,
      sdk: phone.mode === 'system' ? await workOf(this.bench.link(serial)).sdk() : undefined,
      shelf: await this.larder.shelf.space(),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['copying']),
    });
  }

  async putting(serial: string, request: PuttingAppsRequest): Promise<RunSheet> {
    return puttingAppsSheet(await this.puttingFacts(serial, request));
  }

  async puttingFacts(
    serial: string,
    { copies, through, withIds, user }: PuttingAppsRequest,
  ): Promise<PuttingAppsFacts> {
    const phone = this.bench.facts(serial);
    const runs = phone.mode === 'system';
    return {
      phone,
      user: await userOn(this.bench, serial, user),
      installed: await this.recent(serial, user),
      ...(user && { ofOwner: await this.recent(serial) }),
      picked: copies.map(({ copyId, parts }) => ({ copy: this.larder.copies.one(copyId), parts })),
      surroundings: runs ? await surroundingsOf(workOf(this.bench.link(serial))) : nowhere,
      ...(through && { through }),
      ...(withIds && { withIds }),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['copying']),
    };
  }

  async changing(serial: string, { packages, action, user }: ChangingAppsRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    return changingSheet({
      phone,
      user: await userOn(this.bench, serial, user),
      installed: await this.recent(serial, user),
      picked: packages,
      action,
      purposes: this.purposes.all(),
      copied: needsCopy(action) ? await this.whole(serial, packages, user) : new Set(),
    });
  }

  /** What apps left on a phone, and when each was kept. @throws PhoneFailure */
  async leftoverViews(serial: string): Promise<LeftoverView[]> {
    const found = await findLeftovers(this.bench.link(serial));
    const kept = this.keptLeftovers(serial);
    return found.map((each) => ({ ...each, keptAt: kept.get(each.package) }));
  }

  async leftovers(serial: string, { packages, keepsFirst }: LeftoversRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    const isReadable = phone.mode === 'system' && phone.root;
    return leftoversSheet({
      phone,
      found: isReadable ? await this.leftoverViews(serial) : [],
      picked: packages,
      keepsFirst,
      kept: new Set(this.keptLeftovers(serial).keys()),
      shelf: await this.larder.shelf.space(),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['copying']),
    });
  }

  /** Programs that wait on a phone: its system must run, and nothing needs root. */
  async waitingPrograms(serial: string): Promise<readonly WaitingProgram[]> {
    return (await this.bench.linkIn(serial, 'system')?.appWork?.waiting()) ?? [];
  }

  async waiting(serial: string, { packages }: WaitingRequest): Promise<RunSheet> {
    const phone = this.bench.facts(serial);
    return waitingSheet({ phone, waiting: await this.waitingPrograms(serial), picked: packages });
  }

  /** When what apps left on a phone was kept, by their packages; damaged copies do not count. */
  private keptLeftovers(serial: string): Map<string, number> {
    const whole = this.larder.copies
      .of(serial)
      .filter(({ app, parts }) => app.isLeftover && parts.every(({ damage }) => damage === undefined));
    return new Map(whole.reverse().map(({ app, createdAt }) => [app.package, createdAt]));
  }

  /** Of some apps, those that can come back whatever happens: a copy with the program, of which every stored byte is sound. */
  private async whole(serial: string, packages: readonly string[], user = 0): Promise<Set<string>> {
    const { copies, shelf } = this.larder;
    const found = new Set<string>();
    for (const copy of await this.copiesFor(serial, user)) {
      const { package: name } = copy.app;
      if (found.has(name) || !packages.includes(name)) continue;
      if (!copy.parts.some(({ kind }) => kind === 'program')) continue;
      if (copy.parts.some(({ damage }) => damage !== undefined)) continue;
      const lists = copy.parts.map((part) => digestsOf(copies.part(copy.id, part.name).chunks));
      if (await shelf.holdsAll(lists.flat())) found.add(name);
    }
    return found;
  }

  async moving(serial: string, request: MovingRequest): Promise<MovingSheet> {
    return movingSheet(await this.movingFacts(serial, request));
  }

  /** What a move of every app of the owner's to another phone comes to. */
  async movingView(serial: string, to: string): Promise<MovingView> {
    // A run may have changed either since it was last asked.
    const [installed] = await Promise.all([this.bench.apps(serial).list(), this.bench.apps(to).list()]);
    const own = installed.filter(({ isBuiltIn }) => !isBuiltIn);
    const apps = own.map((app) => ({ package: app.package, parts: wholeApp }));
    const facts = await this.movingFacts(serial, { apps, to });
    const there = new Map(facts.target.installed.map((app) => [app.package, app]));
    const verdicts = new Map(movingVerdicts(facts).map((verdict) => [verdict.package, verdict]));
    return {
      from: serial,
      to,
      apps: own.map(({ package: name, label, versionName, versionCode, dataBytes }) => {
        const other = there.get(name);
        return {
          package: name,
          label,
          findings: verdicts.get(name)?.findings ?? [],
          versionName,
          versionCode,
          dataBytes,
          there: other && { versionName: other.versionName, versionCode: other.versionCode },
        };
      }),
    };
  }

  private async movingFacts(serial: string, { apps, to, through }: MovingRequest): Promise<MovingFacts> {
    if (to === serial) throw new Problem(400, 'Choose another phone than the one that the apps are on.');
    const [phone, target] = [this.bench.facts(serial), this.bench.facts(to)];
    const own = phone.mode === 'system' ? await workOf(this.bench.link(serial)).sdk() : undefined;
    return {
      source: {
        phone,
        nickname: this.bench.view(serial).nickname,
        installed: await this.recent(serial),
        sdk: own,
      },
      target: {
        phone: target,
        nickname: this.bench.view(to).nickname,
        installed: await this.recent(to),
        surroundings: target.mode === 'system' ? await surroundingsOf(workOf(this.bench.link(to))) : nowhere,
      },
      picked: apps,
      ...(through && { through }),
      shelf: await this.larder.shelf.space(),
      bytesPerSecond: pastSpeed(this.bench, this.runs, serial, ['copying']),
    };
  }

  private async change(
    link: PhoneLink | undefined,
    app: AppFacts | undefined,
    newest: CopyView | undefined,
  ): Promise<AppChange> {
    if (!newest) return 'never';
    if (!app) return 'as-kept';
    const change = changeSince(app, newest.app);
    if (change !== 'doubt') return change;
    return link && (await isAsKept(this.larder, link, newest)) ? 'as-kept' : 'changed';
  }
}

function byPackage(copies: readonly CopyView[]): Map<string, CopyView[]> {
  const found = new Map<string, CopyView[]>();
  for (const copy of copies) {
    const list = found.get(copy.app.package);
    if (list) list.push(copy);
    else found.set(copy.app.package, [copy]);
  }
  return found;
}

const wholeApp: PartKind[] = ['program', 'data', 'device-data'];
const nowhere: AppSurroundings = { freeBytes: undefined, sdk: undefined };

const surroundingsOf = async (work: AppWork): Promise<AppSurroundings> => ({
  freeBytes: await work.freeBytes(),
  sdk: await work.sdk(),
});
