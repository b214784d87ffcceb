import { hex } from '@keen-larder/core/bytes/text.ts';
import type { Condition } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import type { ProofWay } from '@keen-larder/core/phone/proof-ways.ts';
import type { Role } from '@keen-larder/core/phone/roles.ts';
import type { ImageHead, ImageRow, SetRow, SetWithPhone } from '../database/sets.ts';
import {
  digestsOf,
  manifestFormat,
  manifestVersion,
  packChunkList,
  unpackChunkList,
  type Manifest,
} from '../shelf/manifest.ts';
import type { Shelf } from '../shelf/shelf.ts';
import { rangesOf } from './set-views.ts';

/** The rows of a set in the catalogue, from its manifest. @param nowMs the larder's own time */
export function rowsOf(
  manifest: Manifest,
  nowMs: number,
): { readonly set: SetRow; readonly images: readonly ImageRow[] } {
  return {
    set: {
      id: manifest.id,
      label: manifest.label,
      note: manifest.note,
      serial: manifest.phone.serial,
      mode: manifest.mode ?? '',
      condition: JSON.stringify(manifest.condition),
      createdAt: Date.parse(manifest.createdAt),
      elapsedMs: manifest.elapsedMs,
      addedBytes: manifest.addedBytes,
      verifiedAt: null,
      ...binOf(manifest.binnedAt, nowMs),
      origin: manifest.origin ? 'imported' : 'phone',
      pinned: manifest.pinned ? 1 : 0,
      keptBy: manifest.by ?? null,
    },
    images: manifest.images.map((image, position) => ({
      setId: manifest.id,
      position,
      partition: image.partition,
      role: image.role,
      bytes: image.bytes,
      chunkBytes: image.chunkBytes,
      sha256: Buffer.from(image.sha256, 'hex'),
      chunks: packChunkList(image.chunks),
      fileSystem: image.fileSystem ?? null,
      usedBytes: image.usedBytes ?? null,
      damage: null,
      kind: image.kind ?? 'block',
      ranges: image.ranges ? JSON.stringify(image.ranges) : null,
      unsettled: image.unsettled ? JSON.stringify(image.unsettled) : null,
      proof: image.proof ?? null,
    })),
  };
}

/** Since when something is in the bin; its time there is counted from when the catalogue learns of it. */
export const binOf = (binnedAt: string | undefined, nowMs: number) => ({
  binnedAt: binnedAt === undefined ? null : Date.parse(binnedAt),
  binnedMs: binnedAt === undefined ? null : nowMs,
});

/** As a manifest has it. */
export const binnedOf = (binnedAt: number | null) =>
  binnedAt === null ? {} : { binnedAt: new Date(binnedAt).toISOString() };

/** The manifest of a set from the catalogue, for when its file was lost. */
export function manifestOfRows(
  row: SetWithPhone,
  heads: readonly ImageHead[],
  chunksOf: (partition: string) => Buffer,
): Manifest {
  return {
    format: manifestFormat,
    version: manifestVersion,
    id: row.id,
    label: row.label,
    note: row.note,
    phone: { serial: row.serial, maker: row.maker, model: row.model, nickname: row.nickname },
    ...(row.mode && { mode: row.mode as PhoneMode }),
    condition: JSON.parse(row.condition) as Condition,
    createdAt: new Date(row.createdAt).toISOString(),
    elapsedMs: row.elapsedMs,
    addedBytes: row.addedBytes,
    ...(row.origin !== 'phone' && { origin: row.isModel ? ('firmware' as const) : ('imported' as const) }),
    ...binnedOf(row.binnedAt),
    ...(row.pinned === 1 && { pinned: true as const }),
    ...(row.keptBy !== null && { by: row.keptBy }),
    images: heads.map((head) => ({
      partition: head.partition,
      ...(head.kind === 'archive' && { kind: 'archive' as const }),
      role: head.role as Role,
      bytes: head.bytes,
      chunkBytes: head.chunkBytes,
      sha256: hex(head.sha256),
      ...(head.fileSystem && { fileSystem: head.fileSystem }),
      ...(head.usedBytes !== null && { usedBytes: head.usedBytes }),
      ...(head.ranges !== null && { ranges: rangesOf(head.ranges) }),
      ...(head.unsettled !== null && { unsettled: rangesOf(head.unsettled) }),
      ...(head.proof !== null && { proof: head.proof as ProofWay }),
      chunks: unpackChunkList(chunksOf(head.partition)),
    })),
  };
}

/** Whether what needs these chunks was damaged, and is whole again by what was stored anew. */
export function needsHealed(chunks: Buffer, healed: ReadonlySet<string>, shelf: Shelf): boolean {
  const digests = digestsOf(chunks).filter((digest) => digest !== undefined);
  return (
    digests.some((digest) => healed.has(digest.toString('hex'))) &&
    digests.every((digest) => shelf.has(digest))
  );
}
