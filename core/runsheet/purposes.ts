import type { PartitionFacts } from '../phone/facts.ts';
import { roleNames, roles } from '../phone/roles.ts';

/** What a set may be kept for, as its name says. */
export const imagingPurposes = ['before flash', 'as received', 'after repair', 'weekly'] as const;

interface KeptPartition extends PartitionFacts {
  readonly kept?: { readonly setId: string; readonly at: number } | undefined;
}

/** Partitions that are in the newest set of a phone, as far as nothing newer is kept of them. */
export function lastPick(partitions: readonly KeptPartition[]): string[] {
  const newest = partitions.reduce<KeptPartition['kept']>(
    (latest, { kept }) => (kept && (!latest || kept.at > latest.at) ? kept : latest),
    undefined,
  );
  return partitions.filter(({ kept }) => kept && kept.setId === newest?.setId).map(({ name }) => name);
}

/** The usual picks by their ids, in the order in which they are offered. */
export const purposeNames = {
  'before-flash': 'Before a flash',
  'boot-chain': 'Boot chain',
  identity: 'Identity',
  everything: 'Everything',
  'as-last-time': 'As last time',
} as const;

/** Partitions that belong together for a reason, and what that leaves out. */
export interface Purpose {
  readonly id: keyof typeof purposeNames;
  readonly name: string;
  readonly picked: readonly string[];
  /** Roles that are left out wholly or in part, in words. */
  readonly leavesOut: string;
}

/**
 * The usual picks of a phone's partitions.
 * @param lastTime partitions of its newest set
 */
export function purposesOf(partitions: readonly PartitionFacts[], lastTime: readonly string[]): Purpose[] {
  // Archives are another way of keeping user data, and logical partitions lie within another: both are picked on purpose.
  const blocks = partitions.filter(({ archive, within }) => !archive && !within);
  const names = (wanted: (role: string) => boolean) =>
    blocks.filter(({ role }) => wanted(role)).map(({ name }) => name);
  const known = new Set(partitions.map(({ name }) => name));
  const purposes: Pick<Purpose, 'id' | 'picked'>[] = [
    {
      id: 'before-flash',
      picked: names((role) => role !== 'user-data' && role !== 'scratch'),
    },
    { id: 'boot-chain', picked: names((role) => role === 'boot-chain') },
    { id: 'identity', picked: names((role) => role === 'identity') },
    { id: 'everything', picked: names((role) => role !== 'scratch') },
    { id: 'as-last-time', picked: lastTime.filter((name) => known.has(name)) },
  ];
  return purposes
    .filter(({ picked }) => picked.length > 0)
    .map((purpose) => ({
      ...{ ...purpose, name: purposeNames[purpose.id] },
      leavesOut: leftOutText(blocks, purpose.picked),
    }));
}

function leftOutText(partitions: readonly PartitionFacts[], picked: readonly string[]): string {
  const left = roles.filter((role) =>
    partitions.some((each) => each.role === role && !picked.includes(each.name)),
  );
  if (left.length === 0) return 'leaves nothing out';
  return `leaves out ${left.map((role) => roleNames[role].name.toLowerCase()).join(', ')}`;
}
