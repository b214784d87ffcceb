import type { CopyView, RecordsView } from '@keen-larder/contract/copies.ts';
import type { CopiedApp, PartKind } from '@keen-larder/core/apps/copies.ts';
import { recordKind, type CopiedRecords, type RecordsPartKind } from '@keen-larder/core/records/kinds.ts';
import type { CopyPartHead, CopyWithPhone } from '../database/copies.ts';
import { appCopyFormat, recordsCopyFormat } from '../shelf/copy-manifest.ts';
import type { StoredImage } from '../shelf/image-writer.ts';
import { digestsOf } from '../shelf/manifest.ts';
import { Copies, type CopiesParts } from './copies-of-a-kind.ts';

/** What views of all copies have. */
const plainView = <Kind extends string>(row: CopyWithPhone, parts: readonly CopyPartHead[]) => ({
  id: row.id,
  serial: row.serial,
  nickname: row.nickname,
  createdAt: row.createdAt,
  note: row.note,
  parts: parts.map((part) => ({
    name: part.name,
    kind: part.kind as Kind,
    bytes: part.bytes,
    sha256: part.sha256.toString('hex'),
    damage: part.damage ?? undefined,
  })),
  bytes: parts.reduce((sum, { bytes }) => sum + bytes, 0),
  addedBytes: row.addedBytes,
  origin: row.origin as CopyView['origin'],
  binnedAt: row.binnedAt ?? undefined,
  by: row.keptBy ?? undefined,
});

/** Copies of apps. */
export class AppCopies extends Copies<CopiedApp, PartKind, CopyView> {
  constructor(parts: CopiesParts) {
    super(
      {
        kind: 'app',
        format: appCopyFormat,
        manifests: parts.shelf.copies,
        subjectOf: (app) => app.package,
        labelOf: ({ label }) => label,
        viewOf: (row, app, parts) => ({ ...plainView<PartKind>(row, parts), app }),
      },
      parts,
    );
  }

  /**
   * An APK that is whole on the shelf, of whichever phone's copy; undefined where there is none.
   * @param sha256 lower-case hexadecimal
   */
  async keptProgram(sha256: string): Promise<StoredImage | undefined> {
    for (const row of this.statements.programs(Buffer.from(sha256, 'hex'))) {
      const { bytes, chunkBytes, chunks } = row;
      if (await this.parts.shelf.holdsAll(digestsOf(chunks)))
        return { bytes, chunkBytes, chunks, sha256: row.sha256 };
    }
    return undefined;
  }

  /** Packages that are not to be shown among the others. */
  aside(): ReadonlySet<string> {
    return new Set(this.statements.aside());
  }

  setAside(names: readonly string[], isAside: boolean): void {
    for (const name of names) {
      if (isAside) this.statements.setAside(name, this.parts.now());
      else this.statements.takeUp(name);
    }
    this.changed();
  }
}

/** Copies of personal records. */
export class RecordCopies extends Copies<CopiedRecords, RecordsPartKind, RecordsView> {
  constructor(parts: CopiesParts) {
    super(
      {
        kind: 'records',
        format: recordsCopyFormat,
        manifests: parts.shelf.records,
        subjectOf: ({ kind }) => kind,
        labelOf: ({ kind }) => recordKind(kind).title,
        viewOf: (row, records, parts) => ({ ...plainView<RecordsPartKind>(row, parts), records }),
      },
      parts,
    );
  }
}
