import { setTimeout as pause } from 'node:timers/promises';
import type { KeptView, PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { PartitionFacts, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { keysOf } from '@keen-larder/core/phone/keys.ts';
import type { Survey } from '@keen-larder/core/phone/survey.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { isNeverWritten } from '@keen-larder/core/phone/roles.ts';
import type { DigestStatements } from '../database/digests.ts';
import type { AddressStatements } from '../database/addresses.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { SetStatements } from '../database/sets.ts';
import type { Feed } from '../events/feed.ts';
import type { AppAccess } from '../links/app-access.ts';
import type { PartitionAccess, PhoneLink } from '../links/phone-link.ts';
import { PartitionLists, sinceKept } from './partition-list.ts';
import type { Surveys } from './surveys.ts';
import { PhoneRecord } from './phone-record.ts';
import { Ways, type WaysOptions } from './ways.ts';
import { LinkFailure, Problem, PhoneFailure } from '../failures.ts';

export interface BenchOptions extends WaysOptions {
  /** A phone told to restart that is not back after this does not start. */
  readonly overdueMs: number;
  /** Nicknames for phones that are new to the larder, by serial. */
  readonly nicknames?: Readonly<Record<string, string>>;
  /** Phones are surveyed as soon as they are there in a mode and build that is new. */
  readonly surveysNew: boolean;
}

/** How often a phone that is here is asked for its battery and the like. */
const refreshMs = 15_000;
const readyPollMs = 400;
/** What links call a maker that a mode does not tell. */
const unknownMaker = 'Unknown maker';

/** Follows phones as they come and go, and knows what each one is. */
export class Bench {
  private readonly records = new Map<string, PhoneRecord>();
  private readonly lists = new PartitionLists();
  private readonly lastLists = new Map<string, readonly PartitionFacts[]>();
  private readonly stopping = new AbortController();
  /** How phones are reached. */
  readonly ways: Ways;
  private readonly waiters = new Set<() => void>();
  /** Which run works on a phone; asked of the run engine. */
  runOf: (serial: string) => string | undefined = () => undefined;

  constructor(
    private readonly options: BenchOptions,
    private readonly phones: PhoneStatements,
    private readonly sets: SetStatements,
    private readonly digests: DigestStatements,
    addresses: AddressStatements,
    private readonly surveys: Surveys,
    private readonly feed: Feed,
  ) {
    this.ways = new Ways(options, addresses, {
      follow: (link, known) => this.follow(link, known),
      isBusy: (address) => this.isBusy(address),
      looked: () => this.announceOverdue(),
      changed: () => feed.send('connections', {}),
    });
  }

  start(): void {
    this.ways.start();
  }

  async stop(): Promise<void> {
    this.stopping.abort();
    for (const { link } of this.records.values()) link?.close();
    await this.ways.stop();
  }

  /** Every phone that is or was on the bench. */
  list(): PhoneView[] {
    const now = this.options.now();
    return this.phones.all().map((row) => {
      const record = this.records.get(row.serial);
      return {
        serial: row.serial,
        nickname: row.nickname,
        maker: row.maker,
        model: row.model,
        presence: record?.presence(now) ?? 'away',
        facts: record?.facts,
        link: record?.link?.description,
        lastSeenAt: row.lastSeenAt,
        goneAt: record?.goneAt,
        expectedMode: record?.expected?.mode,
        newestSetAt: row.newestSetAt ?? undefined,
        setCount: row.setCount,
        runId: this.runOf(row.serial),
        keys: keysOf(row.maker, row.model),
      };
    });
  }

  /** @throws Problem 404 when the phone was never seen */
  view(serial: string): PhoneView {
    const found = this.list().find((phone) => phone.serial === serial);
    if (!found) throw new Problem(404, `No phone with the serial ${serial} has been on this bench.`);
    return found;
  }

  /** The link to a phone. @throws Problem 409 when it does not answer */
  link(serial: string): PhoneLink {
    const link = this.records.get(serial)?.link;
    if (!link)
      throw new Problem(
        409,
        `${this.view(serial).nickname} does not answer now. Check its cable and its mode, then start again.`,
      );
    return link;
  }

  /** The link to a phone that has come up entirely, in a mode when one is named. */
  linkIn(serial: string, mode?: PhoneMode): PhoneLink | undefined {
    const record = this.records.get(serial);
    const { link } = record ?? {};
    return link && !record!.expected && (mode === undefined || link.mode === mode) ? link : undefined;
  }

  /** Since when a phone's system has been here with root; undefined where that is not so. */
  rootedSystemSince(serial: string): number | undefined {
    return this.linkIn(serial, 'system') && this.records.get(serial)!.rootedSince;
  }

  /** Access to a phone's partitions. @throws Problem 409 when its mode gives none */
  access(serial: string): PartitionAccess {
    const { partitions } = this.link(serial);
    if (!partitions)
      throw new Problem(409, 'This mode gives no access to the partitions. Restart into recovery.');
    return partitions;
  }

  /** @throws Problem 409 when the phone does not answer */
  facts(serial: string): PhoneFacts {
    this.link(serial);
    const facts = this.records.get(serial)!.facts!;
    const tools = this.surveys.of(facts)?.tools;
    return tools ? { ...facts, tools } : facts;
  }

  /** The last survey of a phone as it is now, where one was made. @throws Problem 409 when it does not answer */
  survey(serial: string): Survey | undefined {
    return this.surveys.of(this.facts(serial));
  }

  /** Tries what the phone's tools can do, without writing anything. @throws Problem 409 */
  async makeSurvey(serial: string): Promise<Survey> {
    const facts = this.facts(serial);
    if (this.runOf(serial))
      throw new Problem(409, 'A run is under way on this phone. Wait for its end or cancel it.');
    const survey = await this.surveys.make(this.link(serial), facts);
    this.announce(serial);
    return survey;
  }

  /** Partitions of a phone that answers; read once for each time it comes up. */
  async partitions(serial: string): Promise<PartitionFacts[]> {
    const found = await this.lists.of(this.link(serial), () => this.access(serial));
    this.lastLists.set(serial, found);
    return found;
  }

  /** All that can be imaged: partitions, and the logical ones within them. Read once for each time it comes up. */
  async imageable(serial: string): Promise<PartitionFacts[]> {
    const link = this.link(serial);
    return [...(await this.partitions(serial)), ...(await this.lists.logicalOf(link))];
  }

  /** Apps of a phone whose system runs; asked for anew each time, since its owner may change them. */
  apps(serial: string, user = 0): AppAccess {
    const { apps, mode } = this.link(serial).asUser(user);
    if (!apps) throw new Problem(409, `In ${mode} mode no app can be asked about. Restart into system.`);
    return apps;
  }

  /** Modes in which a phone has answered, able to write, since the program started. */
  wroteIn(serial: string): readonly PhoneMode[] {
    return [...(this.records.get(serial)?.writable ?? [])];
  }

  /** Partitions of a phone as they were last read; none when that was never. */
  knownPartitions(serial: string): readonly PartitionFacts[] {
    return this.lastLists.get(serial) ?? [];
  }

  /** Partitions with what the larder has of each. */
  async partitionViews(serial: string): Promise<PartitionView[]> {
    const kept = new Map(
      this.sets.kept(serial).map(({ partition, setId, label, createdAt, bytes, sha256, ranges }) => [
        partition,
        {
          setId,
          label,
          at: createdAt,
          bytes,
          sha256: sha256.toString('hex'),
          ranges: ranges === null ? undefined : (JSON.parse(ranges) as ByteRange[]),
        } satisfies KeptView,
      ]),
    );
    const digests = new Map(this.digests.ofPhone(serial).map((row) => [row.partition, row]));
    return (await this.imageable(serial)).map((partition) => {
      const image = kept.get(partition.name);
      const digest = digests.get(partition.name);
      return {
        ...partition,
        kept: image,
        since: image && digest && sinceKept(image, digest, this.records.get(serial)?.upSince ?? 0),
        neverWritten: isNeverWritten(partition.name),
      };
    });
  }

  /** What the phone last computed of a partition, unless it may have changed since. */
  presentDigest(serial: string, partition: string): Buffer | undefined {
    const row = this.digests.ofPhone(serial).find((each) => each.partition === partition);
    return row && row.at >= (this.records.get(serial)?.upSince ?? 0) ? row.sha256 : undefined;
  }

  /** Forgets what was read of a phone's partitions, after they were written. */
  forgetPartitions(serial: string): void {
    const link = this.records.get(serial)?.link;
    if (link) this.lists.forget(link);
  }

  rename(serial: string, nickname: string): PhoneView {
    if (!this.phones.rename(serial, nickname)) this.view(serial);
    this.announce(serial);
    return this.view(serial);
  }

  /** Sends a phone into another mode; it comes back by itself. */
  async restart(serial: string, into: PhoneMode): Promise<void> {
    const record = this.records.get(serial);
    const link = this.link(serial);
    record!.expected = { mode: into, overdueAt: this.options.now() + this.options.overdueMs };
    await link.restart(into);
    this.announce(serial);
  }

  /**
   * Waits until a phone has come up in a mode.
   * @throws LinkFailure when it restarts again and again, or is not there in time
   */
  async waitFor(serial: string, mode: PhoneMode, limitMs: number, signal: AbortSignal): Promise<PhoneLink> {
    const deadline = this.options.now() + limitMs;
    for (;;) {
      signal.throwIfAborted();
      const record = this.records.get(serial);
      if (record?.link?.mode === mode && !record.expected) return record.link;
      const { nickname } = this.view(serial);
      if (record?.presence(this.options.now()) === 'looping') {
        throw new LinkFailure(`${nickname} restarts again and again. Hold its keys to get into recovery.`);
      }
      if (this.options.now() > deadline) {
        throw new LinkFailure(`${nickname} did not come up in ${mode} mode in time. Look at its screen.`);
      }
      await this.changed(signal);
    }
  }

  /** Tells the browsers about a phone. */
  announce(serial: string): void {
    const view = this.list().find((phone) => phone.serial === serial);
    if (view) this.feed.send('phone', view);
    for (const wake of this.waiters) wake();
  }

  /** Resolves when something changed on the bench, or after a second. */
  async changed(signal: AbortSignal): Promise<void> {
    await new Promise<void>((resolve) => {
      const done = () => {
        clearTimeout(timer);
        this.waiters.delete(done);
        signal.removeEventListener('abort', done);
        resolve();
      };
      const timer = setTimeout(done, 1000);
      this.waiters.add(done);
      signal.addEventListener('abort', done);
    });
  }

  /** A phone that is overdue becomes a phone that does not start without any event of its own. */
  private announceOverdue(): void {
    for (const [serial, record] of this.records) {
      if (record.expected && record.presence(this.options.now()) === 'looping') this.announce(serial);
    }
  }

  private isBusy(address: string): boolean {
    return [...this.records.values()].some(
      ({ serial, link }) =>
        link?.description.endsWith(` ${address}`) === true && this.runOf(serial) !== undefined,
    );
  }

  /** What a phone's tools can do is found out before anybody asks. */
  private surveyNew(link: PhoneLink, facts: PhoneFacts): void {
    if (!this.options.surveysNew || this.surveys.of(facts) || this.runOf(facts.serial)) return;
    this.surveys.make(link, facts).then(
      () => this.announce(facts.serial),
      (error: unknown) => {
        if (!(error instanceof PhoneFailure)) this.options.unforeseen(error);
      },
    );
  }

  /** Some modes do not tell what the phone is, or only what lies on it says; it may be known from another. */
  private withKnownModel(facts: PhoneFacts): PhoneFacts {
    const known = this.phones.one(facts.serial);
    const isHearsay = facts.maker === unknownMaker || facts.mode === 'loader';
    return isHearsay && known && known.maker !== unknownMaker
      ? { ...facts, maker: known.maker, model: known.model }
      : facts;
  }

  /** From a link's first moment to its last. @returns whether the phone was here already, so that it is not used */
  private async follow(link: PhoneLink, known: (serial: string) => void): Promise<boolean> {
    let gone = false;
    const ended = link.gone.then(() => (gone = true));
    let facts: PhoneFacts;
    let ready: boolean;
    try {
      facts = await link.facts();
      ready = await link.ready();
    } catch (error) {
      link.close();
      throw error;
    }
    const { serial } = facts;
    const record = this.records.get(serial) ?? new PhoneRecord(serial);
    if (record.link?.mode === link.mode) {
      link.close();
      return true;
    }
    this.records.set(serial, record);
    known(serial);
    this.surveys.rememberCable(serial, link);
    // A system may say of itself what its phone is not; whoever else tells knows better.
    const isHearsay = link.mode === 'system' || link.mode === 'loader';
    const earlier = isHearsay ? this.phones.one(serial) : undefined;
    const { maker, model } = earlier && earlier.maker !== unknownMaker ? earlier : facts;
    this.phones.seen({
      serial,
      maker,
      model,
      nickname: this.options.nicknames?.[serial] ?? facts.model,
      lastSeenAt: this.options.now(),
    });
    facts = this.withKnownModel(facts);
    record.arrived(this.options.now(), link, facts, ready);
    this.announce(serial);
    if (ready) this.surveyNew(link, facts);

    let refreshAt = this.options.now() + refreshMs;
    while (!gone && !this.stopping.signal.aborted) {
      await Promise.race([ended, pause(ready ? 1000 : readyPollMs, undefined, { ref: false })]);
      if (gone) break;
      try {
        if (!ready && (await link.ready())) {
          ready = true;
          record.facts = this.withKnownModel(await link.facts());
          record.settled();
          this.announce(serial);
          this.surveyNew(link, record.facts);
        } else if (this.options.now() >= refreshAt && !this.runOf(serial)) {
          refreshAt = this.options.now() + refreshMs;
          const before = JSON.stringify(record.facts);
          record.facts = this.withKnownModel(await link.facts());
          if (JSON.stringify(record.facts) !== before) this.announce(serial);
        }
      } catch (error) {
        if (!(error instanceof PhoneFailure)) throw error;
      }
    }
    // Meanwhile it may have come up by another way.
    if (record.link === link) record.left(this.options.now(), ready);
    this.announce(serial);
    return false;
  }
}
