import { setTimeout as pause } from 'node:timers/promises';
import type { KeptView, PartitionView, PhoneView, SinceView } from '@keen-larder/contract/bench.ts';
import type { PartitionFacts, PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { keysFor } from '@keen-larder/core/phone/keys.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { isNeverWritten } from '@keen-larder/core/phone/roles.ts';
import type { DigestRow, DigestStatements } from '../database/digests.ts';
import type { PhoneStatements } from '../database/phones.ts';
import type { SetStatements } from '../database/sets.ts';
import type { Feed } from '../feed.ts';
import { AdbLink } from '../links/adb/adb-link.ts';
import { LinkFailure, type PartitionAccess, type PhoneLink } from '../links/phone-link.ts';
import { Problem } from '../problem.ts';
import { PhoneRecord } from './phone-record.ts';

export interface BenchOptions {
  /** `host:port` of adb daemons to follow. */
  readonly addresses: readonly string[];
  /** Between two looks at an address that does not answer. */
  readonly pollMs: number;
  /** A phone told to restart that is not back after this does not start. */
  readonly overdueMs: number;
  /** Nicknames for phones that are new to the larder, by serial. */
  readonly nicknames?: Readonly<Record<string, string>>;
  readonly now: () => number;
}

/** How often a phone that is here is asked for its battery and the like. */
const refreshMs = 15_000;
const readyPollMs = 400;

/** Follows phones as they come and go, and knows what each one is. */
export class Bench {
  private readonly records = new Map<string, PhoneRecord>();
  private readonly partitionLists = new WeakMap<PhoneLink, Promise<PartitionFacts[]>>();
  private readonly stopping = new AbortController();
  private readonly watchers: Promise<void>[] = [];
  private readonly waiters = new Set<() => void>();
  /** Which run works on a phone; asked of the run engine. */
  runOf: (serial: string) => string | undefined = () => undefined;

  constructor(
    private readonly options: BenchOptions,
    private readonly phones: PhoneStatements,
    private readonly sets: SetStatements,
    private readonly digests: DigestStatements,
    private readonly feed: Feed,
  ) {}

  start(): void {
    for (const address of this.options.addresses) this.watchers.push(this.watch(address));
  }

  async stop(): Promise<void> {
    this.stopping.abort();
    for (const { link } of this.records.values()) link?.close();
    await Promise.allSettled(this.watchers);
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
        recoveryKeys: keysFor(row.maker, row.model, 'recovery'),
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
        `${this.view(serial).nickname} does not answer now. Check its cable and its mode.`,
      );
    return link;
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
    return this.records.get(serial)!.facts!;
  }

  /** Partitions of a phone that answers; read once for each time it comes up. */
  async partitions(serial: string): Promise<PartitionFacts[]> {
    const link = this.link(serial);
    let list = this.partitionLists.get(link);
    if (!list) {
      list = this.access(serial).list();
      list.catch(() => this.partitionLists.delete(link));
      this.partitionLists.set(link, list);
    }
    return list;
  }

  /** Partitions with what the larder has of each. */
  async partitionViews(serial: string): Promise<PartitionView[]> {
    const kept = new Map(
      this.sets
        .kept(serial)
        .map(({ partition, setId, label, createdAt, bytes, sha256 }) => [
          partition,
          { setId, label, at: createdAt, bytes, sha256: sha256.toString('hex') } satisfies KeptView,
        ]),
    );
    const digests = new Map(this.digests.ofPhone(serial).map((row) => [row.partition, row]));
    return (await this.partitions(serial)).map((partition) => {
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

  /** Forgets what was read of a phone's partitions, after they were written. */
  forgetPartitions(serial: string): void {
    const link = this.records.get(serial)?.link;
    if (link) this.partitionLists.delete(link);
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

  private async changed(signal: AbortSignal): Promise<void> {
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

  private async watch(address: string): Promise<void> {
    const { signal } = this.stopping;
    while (!signal.aborted) {
      try {
        await this.follow(await AdbLink.open(address));
      } catch (error) {
        if (!(error instanceof LinkFailure)) throw error;
      }
      for (const [serial, record] of this.records) {
        // A phone that is overdue becomes a phone that does not start without any event of its own.
        if (record.expected && record.presence(this.options.now()) === 'looping') this.announce(serial);
      }
      await pause(this.options.pollMs, undefined, { signal }).catch(() => undefined);
    }
  }

  /** From a link's first moment to its last. */
  private async follow(link: PhoneLink): Promise<void> {
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
    this.records.set(serial, record);
    this.phones.seen({
      serial,
      maker: facts.maker,
      model: facts.model,
      nickname: this.options.nicknames?.[serial] ?? facts.model,
      lastSeenAt: this.options.now(),
    });
    record.arrived(this.options.now(), link, facts, ready);
    this.announce(serial);

    let refreshAt = this.options.now() + refreshMs;
    while (!gone && !this.stopping.signal.aborted) {
      await Promise.race([ended, pause(ready ? 1000 : readyPollMs, undefined, { ref: false })]);
      if (gone) break;
      try {
        if (!ready && (await link.ready())) {
          ready = true;
          record.facts = await link.facts();
          record.settled();
          this.announce(serial);
        } else if (this.options.now() >= refreshAt && !this.runOf(serial)) {
          refreshAt = this.options.now() + refreshMs;
          const before = JSON.stringify(record.facts);
          record.facts = await link.facts();
          if (JSON.stringify(record.facts) !== before) this.announce(serial);
        }
      } catch (error) {
        if (!(error instanceof LinkFailure)) throw error;
      }
    }
    record.left(this.options.now(), ready);
    this.announce(serial);
  }
}

/**
 * What a digest says of a partition since it was kept: nothing when it is of that time or older; that it
 * changed, for good; that it did not, only while the phone has not been started anew.
 */
function sinceKept(kept: KeptView, digest: DigestRow, upSince: number): SinceView | undefined {
  if (digest.at <= kept.at) return undefined;
  const changed = digest.sha256.toString('hex') !== kept.sha256;
  return changed || digest.at >= upSince ? { at: digest.at, changed } : undefined;
}
