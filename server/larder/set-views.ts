import { createHash } from 'node:crypto';
import type { ImageView, SetChanges, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
import type { ByteRange } from '@keen-larder/core/bytes/ranges.ts';
import type { Condition } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import type { ImageHead, SetStatements, SetWithPhone } from '../database/sets.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { sha256Sums } from './set-sums.ts';

/** A set as it is told, from its rows. */
export function viewOf(row: SetWithPhone, images: readonly ImageHead[]): SetView {
  const strip = new Map<Role, number>();
  for (const { role, bytes } of images) strip.set(role as Role, (strip.get(role as Role) ?? 0) + bytes);
  return {
    id: row.id,
    label: row.label,
    note: row.note,
    serial: row.serial,
    nickname: row.nickname,
    maker: row.maker,
    model: row.model,
    mode: row.mode ? (row.mode as PhoneMode) : undefined,
    condition: JSON.parse(row.condition) as Condition,
    createdAt: row.createdAt,
    elapsedMs: row.elapsedMs,
    imageCount: images.length,
    bytes: images.reduce((sum, { bytes }) => sum + bytes, 0),
    addedBytes: row.addedBytes,
    verifiedAt: row.verifiedAt ?? undefined,
    damaged: images.some(({ damage }) => damage !== null),
    complete: images.every(({ unsettled }) => unsettled === null),
    imported: row.origin === 'imported',
    firmware: row.isModel === 1,
    fingerprint: createHash('sha256').update(sha256Sums(images)).digest('hex'),
    binnedAt: row.binnedAt ?? undefined,
    pinned: row.pinned === 1,
    by: row.keptBy ?? undefined,
    strip: [...strip].map(([role, bytes]) => ({ role, bytes })),
  };
}

/** With more sets than these, their images are read in one go. */
const fewSets = 100;

/** All sets as they are told. A larder has thousands of them, and is asked for all again and again: each is made anew when it changed. */
export class SetList {
  private version: string | undefined;
  private revision = 0;
  /** What was removed before is not known. */
  private floor: number | undefined;
  private readonly views = new Map<string, { readonly view: SetView; readonly revision: number }>();
  private readonly removed: { readonly id: string; readonly revision: number }[] = [];
  private list: readonly SetView[] = [];

  constructor(
    private readonly sets: Pick<
      SetStatements,
      'changedSince' | 'allIds' | 'revision' | 'heads' | 'allHeads' | 'version'
    >,
  ) {}

  /** The newest first. */
  all(): readonly SetView[] {
    this.refresh();
    return this.list;
  }

  /** What changed since a revision; all of it where that is not known any more. */
  since(revision: number | undefined): SetChanges {
    this.refresh();
    const now = this.revision;
    if (revision === undefined || revision < this.floor! || revision > now)
      return { revision: now, isWhole: true, sets: this.list, removed: [] };
    const sets = [...this.views.values()].filter((each) => each.revision > revision).map(({ view }) => view);
    const removed = this.removed.filter((each) => each.revision > revision).map(({ id }) => id);
    return { revision: now, isWhole: false, sets, removed };
  }

  private refresh(): void {
    const version = this.sets.version();
    if (this.version === version) return;
    const revision = this.sets.revision();
    const changed = this.sets.changedSince(this.revision);
    const headsOf = changed.length > fewSets ? this.allHeads() : undefined;
    for (const row of changed) {
      const view = viewOf(row, headsOf ? (headsOf.get(row.id) ?? []) : this.sets.heads(row.id));
      this.views.set(row.id, { view, revision: row.revision });
    }
    const there = new Set(this.sets.allIds());
    for (const id of this.views.keys()) {
      if (there.has(id)) continue;
      this.views.delete(id);
      this.removed.push({ id, revision });
    }
    if (this.revision !== revision)
      this.list = [...this.views.values()]
        .map(({ view }) => view)
        .sort((a, b) => b.createdAt - a.createdAt || (a.id < b.id ? -1 : 1));
    this.floor ??= revision;
    [this.version, this.revision] = [version, revision];
  }

  private allHeads(): Map<string, ImageHead[]> {
    const images = new Map<string, ImageHead[]>();
    for (const head of this.sets.allHeads()) {
      const list = images.get(head.setId);
      if (list) list.push(head);
      else images.set(head.setId, [head]);
    }
    return images;
  }
}

export const imageView = (head: ImageHead): ImageView => ({
  partition: head.partition,
  role: head.role as Role,
  bytes: head.bytes,
  sha256: head.sha256.toString('hex'),
  fileSystem: head.fileSystem ?? undefined,
  usedBytes: head.usedBytes ?? undefined,
  damage: head.damage ?? undefined,
  kind: head.kind as ImageView['kind'],
  ranges: head.ranges === null ? undefined : rangesOf(head.ranges),
  unsettled: head.unsettled === null ? undefined : rangesOf(head.unsettled),
  proof: (head.proof as ProofWay | null) ?? undefined,
});

export const rangesOf = (json: string) => JSON.parse(json) as ByteRange[];

/** The shelf as it is told, once it has been looked whether it is there. */
export const shelfViewOf = async (
  shelf: Shelf,
  { bytes, sets }: { readonly bytes: number; readonly sets: number },
  storedBytes: number,
): Promise<Omit<ShelfView, 'dueDays'>> => ({
  name: shelf.name,
  path: shelf.path,
  ...(await shelf.space()),
  storedBytes,
  freedBytes: shelf.freed.bytes,
  imagedBytes: bytes,
  setCount: sets,
  seal: shelf.seal.state,
  absence: shelf.absence,
  doubts: [...shelf.doubts],
});
