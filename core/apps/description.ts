import type { AppCopy, CopiedApp, CopyPart } from './copies.ts';

export const copyDescriptionName = 'APP.json';
export const copyDescriptionFormat = 'keen-larder-app';

/** What stands beside the files of an exported copy, for programs. */
export interface CopyDescription {
  readonly format: typeof copyDescriptionFormat;
  readonly version: 1;
  /** ISO 8601, UTC. */
  readonly copiedAt: string;
  /** Serial of the phone that it came from. */
  readonly phone: string;
  readonly app: CopiedApp;
  readonly files: readonly CopyPart[];
}

export const describeCopy = ({ serial, createdAt, app, parts }: AppCopy): CopyDescription => ({
  format: copyDescriptionFormat,
  version: 1,
  copiedAt: new Date(createdAt).toISOString(),
  phone: serial,
  app,
  files: parts.map(({ name, kind, bytes, sha256 }) => ({ name, kind, bytes, sha256 })),
});
