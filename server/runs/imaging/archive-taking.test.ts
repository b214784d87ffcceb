import { describe, expect, it } from 'vitest';
import type { ArchivedEntry } from '../../formats/tar.ts';
import type { FileAccess, PresentFile } from '../../links/phone-link.ts';
import { compareUnpacked } from './archive-taking.ts';

const label = 'u:object_r:app_data_file:s0:c61,c256,c512,c768';
const plain = { bytes: 0, modifiedAt: 0 };
const kept: Readonly<Record<string, ArchivedEntry>> = {
  './a/': { uid: 10061, gid: 10061, mode: 0o700, label, type: 'directory', ...plain },
  './a/lib': { uid: 0, gid: 0, mode: 0o777, type: 'symlink', target: '/data/app/lib', ...plain },
  './a/notes.db': { uid: 10061, gid: 10061, mode: 0o660, label, sha256: 'ab', type: 'file', ...plain },
};

/** A phone that has what was kept, but for some of it. */
function phone(
  over: Readonly<Record<string, Partial<PresentFile> & { sha256?: string }>>,
): Pick<FileAccess, 'digests' | 'owners' | 'settle'> {
  const now = (path: string) => ({
    label: undefined,
    isLink: path === './a/lib',
    ...kept[path === './a' ? './a/' : path]!,
    ...over[path],
  });
  return {
    digests: (_folder: string, paths: readonly string[]) =>
      Promise.resolve(new Map(paths.map((path) => [path, now(path).sha256!]))),
    owners: (_folder: string, paths: readonly string[]) =>
      Promise.resolve(new Map(paths.map((path) => [path, now(path)]))),
    settle: () => Promise.resolve(),
  };
}

describe('what an unpacked archive did not become', () => {
  const found = (over: Parameters<typeof phone>[0]) =>
    compareUnpacked(phone(over), '/data', new Map(Object.entries(kept)), 1);

  it('is nothing when bytes, owners, modes and labels are as they were kept', async () => {
    expect(await found({})).toEqual({ differ: [], tellsLabels: true });
  });

  it.each([
    ['bytes', './a/notes.db', { sha256: 'cd' }],
    ['an owner', './a/notes.db', { uid: 0 }],
    ['a group', './a/notes.db', { gid: 1000 }],
    ['a mode', './a', { mode: 0o755 }],
    ['where a link leads', './a/lib', { target: 'PaxHeader' }],
    ['no label', './a', { label: undefined }],
    ['a label', './a', { label: 'u:object_r:unlabeled:s0' }],
  ])('is named for %s', async (_what, path, now) => {
    const { differ } = await found({ [path]: now });
    expect(differ).toEqual([path === './a' ? './a/' : path]);
  });

  it('is not known of labels where the phone tells none', async () => {
    const untold = { './a': { label: undefined }, './a/notes.db': { label: undefined } };
    expect(await found(untold)).toEqual({ differ: [], tellsLabels: false });
  });
});
