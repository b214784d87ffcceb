/** Which sets stay by themselves; what is pinned, was verified last or has the last image of an identity partition always does. */
export interface KeepRules {
  /** So many of the newest sets of each phone. */
  readonly newest: number;
  /** Of so many months, counted back from the present one, the newest set of each. */
  readonly months: number;
}

export const usualKeepRules: KeepRules = { newest: 3, months: 6 };
export const mostNewest = 1000;
export const mostMonths = 1200;

/** A set as the rules look at it. */
export interface RuledSet {
  readonly id: string;
  readonly serial: string;
  /** Milliseconds since 1970, as all times here. */
  readonly createdAt: number;
  /** Every image came out of the phone as the phone digests it, and none is known to be damaged. */
  readonly isSound: boolean;
  readonly isPinned: boolean;
  /** It came as files: nobody can take it anew from the phone. */
  readonly isImported: boolean;
  readonly verifiedAt: number | undefined;
  /** Identity partitions of which it has an image that is whole. */
  readonly identity: readonly string[];
  /** Its phone is on this open job card. */
  readonly jobNumber: number | undefined;
  /** Why it must not go now, in a sentence. */
  readonly whyInUse: string | undefined;
}

export type KeepReason =
  | { readonly is: 'pinned' | 'newest' | 'newer than any sound one' | 'last verified' | 'imported' }
  /** `YYYY-MM`, UTC. */
  | { readonly is: 'monthly'; readonly month: string }
  | { readonly is: 'last identity image'; readonly partitions: readonly string[] }
  | { readonly is: 'job card'; readonly number: number }
  | { readonly is: 'in use'; readonly why: string };

/** What the rules say of a set: why it stays; where there is no reason, it would go. */
export interface Ruling {
  readonly id: string;
  readonly reasons: readonly KeepReason[];
}

const monthOf = (at: number): string => new Date(at).toISOString().slice(0, 7);

/** The months that count, newest first. */
function monthsUntil(now: number, count: number): string[] {
  const date = new Date(now);
  return Array.from({ length: count }, (_, i) =>
    monthOf(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() - i, 1)),
  );
}

/**
 * What the rules say of every set that is not in the bin.
 * @param rulesOf a phone, by its serial
 * @param now milliseconds since 1970
 */
export function ruleOn(
  sets: readonly RuledSet[],
  rulesOf: (serial: string) => KeepRules,
  now: number,
): Ruling[] {
  const reasons = new Map<string, KeepReason[]>(sets.map(({ id }) => [id, []]));
  const keep = ({ id }: RuledSet, reason: KeepReason) => void reasons.get(id)!.push(reason);
  for (const set of sets) {
    if (set.isPinned) keep(set, { is: 'pinned' });
    if (set.isImported) keep(set, { is: 'imported' });
    if (set.jobNumber !== undefined) keep(set, { is: 'job card', number: set.jobNumber });
    if (set.whyInUse !== undefined) keep(set, { is: 'in use', why: set.whyInUse });
  }
  for (const [serial, ofPhone] of grouped(sets.filter(({ isImported }) => !isImported))) {
    const newestFirst = ofPhone.sort((a, b) => b.createdAt - a.createdAt || (a.id < b.id ? 1 : -1));
    const sound = newestFirst.filter(({ isSound }) => isSound);
    const rules = rulesOf(serial);
    for (const set of sound.slice(0, rules.newest)) keep(set, { is: 'newest' });
    // What is not whole may be all that there is of a phone since.
    for (const set of newestFirst) {
      if (set.isSound) break;
      keep(set, { is: 'newer than any sound one' });
    }
    for (const month of monthsUntil(now, rules.months)) {
      const set = sound.find(({ createdAt }) => monthOf(createdAt) === month);
      if (set) keep(set, { is: 'monthly', month });
    }
    const verified = sound
      .filter(({ verifiedAt }) => verifiedAt !== undefined)
      .sort((a, b) => b.verifiedAt! - a.verifiedAt!)[0];
    if (verified) keep(verified, { is: 'last verified' });
    for (const [set, partitions] of lastIdentities(newestFirst))
      keep(set, { is: 'last identity image', partitions });
  }
  return sets.map(({ id }) => ({ id, reasons: reasons.get(id)! }));
}

/** The newest image of each identity partition, by the set that has it. */
function lastIdentities(newestFirst: readonly RuledSet[]): Map<RuledSet, string[]> {
  const seen = new Set<string>();
  const found = new Map<RuledSet, string[]>();
  for (const set of newestFirst)
    for (const partition of set.identity) {
      if (seen.has(partition)) continue;
      seen.add(partition);
      found.set(set, [...(found.get(set) ?? []), partition]);
    }
  return found;
}

function grouped(sets: readonly RuledSet[]): Map<string, RuledSet[]> {
  const found = new Map<string, RuledSet[]>();
  for (const set of sets) found.set(set.serial, [...(found.get(set.serial) ?? []), set]);
  return found;
}

/** A reason for a list: short, as it stands behind a set’s name. */
export function reasonText(reason: KeepReason): string {
  switch (reason.is) {
    case 'pinned':
      return 'pinned';
    case 'newest':
      return 'one of the newest';
    case 'newer than any sound one':
      return 'not whole, but nothing newer is';
    case 'last verified':
      return 'the last that was verified';
    case 'imported':
      return 'came as files';
    case 'monthly':
      return `the newest of ${reason.month}`;
    case 'last identity image':
      return `has the last ${reason.partitions.join(', ')}`;
    case 'job card':
      return `its phone is on job card ${reason.number}`;
    case 'in use':
      return reason.why;
  }
}
