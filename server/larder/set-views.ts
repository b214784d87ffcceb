import { createHash } from 'node:crypto';
import type { ImageView, SetView, ShelfView } from '@keen-larder/contract/sets.ts';
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
    fingerprint: createHash('sha256').update(sha256Sums(images)).digest('hex'),
    binnedAt: row.binnedAt ?? undefined,
    pinned: row.pinned === 1,
    strip: [...strip].map(([role, bytes]) => ({ role, bytes })),
  };
}

/** All sets as they were told last: a larder has thousands of them, and is asked for all again and again. */
export class SetList {
  private told: { readonly version: string; readonly views: readonly SetView[] } | undefined;

  constructor(private readonly sets: Pick<SetStatements, 'all' | 'allHeads' | 'version'>) {}

  all(): readonly SetView[] {
    const version = this.sets.version();
    if (this.told?.version === version) return this.told.views;
    const images = new Map<string, ImageHead[]>();
    for (const head of this.sets.allHeads()) {
      const list = images.get(head.setId);
      if (list) list.push(head);
      else images.set(head.setId, [head]);
    }
    const views = this.sets.all().map((row) => viewOf(row, images.get(row.id) ?? []));
    this.told = { version, views };
    return views;
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
  absence: shelf.absence,
  doubts: [...shelf.doubts],
});
