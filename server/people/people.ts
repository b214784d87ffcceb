import { createHash, randomBytes } from 'node:crypto';
import type { OperatorView } from '@keen-larder/contract/people.ts';
import type { OperatorChange, OperatorDraft } from '@keen-larder/contract/requests/people.ts';
import type { OperatorRow, OperatorStatements } from '../database/people/operators.ts';
import { Problem } from '../failures.ts';
import { requireLong } from '../sealing/passphrase.ts';
import { Guesses } from './guesses.ts';
import { isPassphrase, keptPassphrase } from './passphrase-record.ts';

const hour = 60 * 60_000;
/** A session that nobody uses ends, and each ends some time. */
const idleMs = 12 * hour;
const sessionMs = 7 * 24 * hour;
/** How exactly it is known when a session was used last. */
const seenEveryMs = 60_000;
const tokenBytes = 32;

export type Operator = Pick<OperatorRow, 'id' | 'name' | 'role'>;

const wrongWords = 'This name and this passphrase do not go together.';

const digestOf = (token: string): Buffer => createHash('sha256').update(token).digest();

/** Who works at the bench, and who has signed in. Where nobody is named, nobody is asked. */
export class People {
  /** Other computers reach the bench: somebody must remain who signs in. */
  mustAsk = false;
  private readonly guesses = new Guesses();
  /** What is to end with a session: by the session's digest. */
  private readonly bound = new Map<string, Set<() => void>>();

  constructor(
    private readonly rows: OperatorStatements,
    private readonly now: () => number,
  ) {}

  /** Whether whoever uses the bench is asked who he is. */
  get asksWho(): boolean {
    return this.rows.count() > 0;
  }

  list(): OperatorView[] {
    return this.rows.all().map(({ id, name, role, createdAt, lastSeenAt }) => ({
      ...{ id, name, role, createdAt },
      lastSeenAt: lastSeenAt ?? undefined,
    }));
  }

  /** @throws Problem 409 where the name is taken or the first one is no owner, 422 for a short passphrase */
  async add({ name, role, passphrase }: OperatorDraft): Promise<OperatorView> {
    requireLong(passphrase);
    const kept = await keptPassphrase(passphrase);
    if (!this.asksWho && role !== 'owner')
      throw new Problem(409, 'Begin with an owner: somebody must be able to add the others.');
    if (this.rows.named(name)) throw new Problem(409, `${name} is here already. Choose another name.`);
    const id = this.rows.add({ name, role, passphrase: kept, createdAt: this.now() });
    return this.view(id);
  }

  /**
   * Another role, or another passphrase, with which all sessions end.
   * @throws Problem 404, 409 where no owner would be left, 422
   */
  async change(id: number, { role, passphrase }: OperatorChange): Promise<OperatorView> {
    const before = this.row(id);
    if (role === 'technician') this.requireOtherOwner(before);
    if (passphrase !== undefined) requireLong(passphrase);
    const kept = passphrase === undefined ? before.passphrase : await keptPassphrase(passphrase);
    this.rows.change({ id, role: role ?? before.role, passphrase: kept });
    if (passphrase !== undefined) this.endSessions(id);
    return this.view(id);
  }

  /** @throws Problem 403 where the one until now is wrong, 422, 429 */
  async changeOwn(id: number, before: string, passphrase: string, address: string): Promise<void> {
    const row = this.row(id);
    await this.guesses.allow(row.name, address);
    if (!(await isPassphrase(before, row.passphrase)))
      throw new Problem(403, 'The passphrase until now is wrong.');
    await this.guesses.forget(row.name, address);
    await this.change(id, { passphrase });
  }

  /** Somebody works here no more; where it was the last one, nobody is asked any more. @throws Problem 404, 409 */
  end(id: number): void {
    const row = this.row(id);
    if (this.rows.count() > 1) this.requireOtherOwner(row);
    else if (this.mustAsk)
      throw new Problem(
        409,
        'Other computers reach this bench, so one operator must remain. Start it without --listen first.',
      );
    this.endSessions(id);
    this.rows.end(id, this.now());
  }

  /**
   * @param address that it is asked from
   * @returns the session's token, which is known to nobody else
   * @throws Problem 401, 429
   */
  async signIn(name: string, passphrase: string, address: string): Promise<{ token: string; me: Operator }> {
    await this.guesses.allow(name, address);
    const row = this.rows.named(name);
    if (!(await isPassphrase(passphrase, row?.passphrase)) || !row) throw new Problem(401, wrongWords);
    await this.guesses.forget(name, address);
    const now = this.now();
    this.rows.dropOldSessions(now - sessionMs, now - idleMs);
    const token = randomBytes(tokenBytes).toString('base64url');
    this.rows.beginSession(digestOf(token), { operatorId: row.id, beganAt: now, seenAt: now });
    return { token, me: row };
  }

  /** Whose session it is, where it has not ended. */
  whoHas(token: string): Operator | undefined {
    const digest = digestOf(token);
    const session = this.rows.session(digest);
    if (!session) return undefined;
    const now = this.now();
    if (now - session.seenAt > idleMs || now - session.beganAt > sessionMs) {
      this.endSession(digest);
      return undefined;
    }
    if (now - session.seenAt > seenEveryMs) this.rows.seen(digest, now);
    return this.rows.one(session.operatorId);
  }

  signOut(token: string): void {
    this.endSession(digestOf(token));
  }

  /** Has something end with a session. @returns takes that back */
  untilSignedOut(token: string, end: () => void): () => void {
    const key = digestOf(token).toString('hex');
    const ends = this.bound.get(key) ?? new Set();
    this.bound.set(key, ends.add(end));
    return () => {
      ends.delete(end);
      if (ends.size === 0) this.bound.delete(key);
    };
  }

  private endSessions(operatorId: number): void {
    for (const digest of this.rows.sessionsOf(operatorId)) this.endSession(digest);
  }

  private endSession(digest: Buffer): void {
    this.rows.dropSession(digest);
    for (const end of this.bound.get(digest.toString('hex')) ?? []) end();
  }

  /** @throws Problem 409 */
  private requireOtherOwner({ id, role, name }: OperatorRow): void {
    const isLast =
      role === 'owner' && !this.rows.all().some((each) => each.role === 'owner' && each.id !== id);
    if (isLast) throw new Problem(409, `${name} is the only owner. Make somebody else one first.`);
  }

  private row(id: number): OperatorRow {
    const row = this.rows.one(id);
    if (!row) throw new Problem(404, 'Nobody with this number works here.');
    return row;
  }

  private view(id: number): OperatorView {
    return this.list().find((each) => each.id === id)!;
  }
}
