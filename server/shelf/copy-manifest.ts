import { partKinds, type CopiedApp, type PartKind } from '@keen-larder/core/apps/copies.ts';
import {
  recordsPartKinds,
  type CopiedRecords,
  type RecordsPartKind,
} from '@keen-larder/core/records/kinds.ts';
import type { NamedPhone } from '@keen-larder/core/phone/facts.ts';

export const copyVersion = 1;

/** A finished copy as it is written beside the packs; see docs/shelf-format.md. */
export interface CopyManifest<Facts = unknown, Kind extends string = string> {
  readonly format: string;
  readonly version: typeof copyVersion;
  readonly id: string;
  readonly phone: NamedPhone;
  readonly note: string;
  /** ISO 8601, UTC. */
  readonly createdAt: string;
  readonly addedBytes: number;
  /** Left out when it was read from a phone: taken out of a kept image, or it came as files. */
  readonly origin?: 'image' | 'imported';
  /** When it was put into the bin, ISO 8601, UTC; left out when it is not there. */
  readonly binnedAt?: string;
  /** The operator who kept it; left out where nobody had signed in. */
  readonly by?: string;
  readonly facts: Facts;
  readonly parts: readonly ManifestPart<Kind>[];
}

export interface ManifestPart<Kind extends string = string> {
  readonly name: string;
  readonly kind: Kind;
  readonly bytes: number;
  readonly chunkBytes: number;
  readonly sha256: string;
  /** Chunk digests in order; `0` is a chunk of zeros. */
  readonly chunks: readonly string[];
}

const isChunk = (value: unknown) => typeof value === 'string' && /^(?:0|[0-9a-f]{64})$/.test(value);

/**
 * A reader of manifests of one format. @param isFacts whether what was copied is told as it should be
 */
export const copyManifestReader =
  <Facts, Kind extends string>(
    format: string,
    kinds: readonly Kind[],
    isFacts: (facts: Partial<Facts>) => boolean,
  ) =>
  /** @throws Error saying what is wrong with the file */
  (text: string): CopyManifest<Facts, Kind> => {
    const value = JSON.parse(text) as Partial<CopyManifest<Partial<Facts>, Kind>>;
    if (value.format !== format) throw new Error('it is not a manifest of such a copy');
    if (value.version !== copyVersion)
      throw new Error(`it has version ${String(value.version)}; this program reads version ${copyVersion}`);
    const { id, phone, createdAt, facts, parts } = value;
    if (!id || !phone?.serial || !createdAt || !facts || !isFacts(facts) || !Array.isArray(parts))
      throw new Error('fields are missing');
    for (const part of parts as readonly ManifestPart<Kind>[]) {
      if (!kinds.includes(part.kind)) throw new Error(`${part.name} is of an unknown kind`);
      const expected = Math.ceil(part.bytes / part.chunkBytes);
      if (!Array.isArray(part.chunks) || part.chunks.length !== expected || !part.chunks.every(isChunk))
        throw new Error(`${part.name} does not list ${expected} chunks`);
    }
    return value as CopyManifest<Facts, Kind>;
  };

export const appCopyFormat = 'keen-larder-app-copy';
export const recordsCopyFormat = 'keen-larder-records-copy';

export const parseAppCopy = copyManifestReader<CopiedApp, PartKind>(appCopyFormat, partKinds, (app) =>
  Boolean(app.package && app.label),
);

export const parseRecordsCopy = copyManifestReader<CopiedRecords, RecordsPartKind>(
  recordsCopyFormat,
  recordsPartKinds,
  (records) => Boolean(records.kind && records.files),
);
