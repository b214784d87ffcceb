import { describe, expect, it } from 'vitest';
import { EntryPlacer, UnsafeEntry, type AppEntry } from './entries.ts';

const label = 'u:object_r:app_data_file:s0:c61,c256,c512,c768';
const from = { user: 0, appId: 10_061 };
const to = { user: 0, appId: 10_184 };
const entry = (path: string, over: Partial<AppEntry> = {}): AppEntry => ({
  path,
  type: 'file',
  uid: 10_061,
  gid: 10_061,
  mode: 0o660,
  label,
  ...over,
});
const placer = (owners: number[] = []) =>
  new EntryPlacer(from, to, 'u:object_r:app_data_file:s0:c184,c256,c512,c768', owners);

describe('entries of an app’s archive', () => {
  it('take the owner, groups and label of the app on its new phone', () => {
    const placed = placer();
    expect(placed.place(entry('./databases/notes.db'))).toEqual({
      path: 'databases/notes.db',
      type: 'file',
      uid: 10_184,
      gid: 10_184,
      mode: 0o660,
      label: 'u:object_r:app_data_file:s0:c184,c256,c512,c768',
    });
    const cache = placed.place(entry('./cache/', { type: 'directory', gid: 20_061, mode: 0o2771 }));
    expect([cache.path, cache.gid, cache.mode]).toEqual(['cache', 20_184, 0o2771]);
    expect(placed.place(entry('./x', { label: undefined })).label).toMatch(/c184/);
  });

  it('belong to nobody else, and do not run as somebody else', () => {
    const placed = placer();
    const root = placed.place(entry('a', { uid: 0, gid: 1000, mode: 0o104755 & 0o7777 }));
    expect([root.uid, root.gid, root.mode]).toEqual([10_184, 10_184, 0o755]);
    expect(placed.place(entry('b', { uid: 10_062 })).uid).toBe(10_184);
    // The service that hands out shared storage owns what lies there.
    expect(placer([1023]).place(entry('c', { uid: 10_061, gid: 1023 })).gid).toBe(1023);
  });

  it('keep links, also those that lead elsewhere', () => {
    const placed = placer();
    expect(placed.place(entry('lib', { type: 'symlink', target: '/data/app/x/lib' })).target).toBe(
      '/data/app/x/lib',
    );
    placed.place(entry('one'));
    expect(placed.place(entry('./two', { type: 'link', target: './one' })).target).toBe('one');
  });

  it.each([
    ['an absolute path', [entry('/data/system/x')]],
    ['a way up', [entry('files/../../other/x')]],
    ['a way up at its end', [entry('files/..')]],
    ['what lies behind a link', [entry('a', { type: 'symlink', target: '/data' }), entry('a/system/x')]],
    ['what replaces a link', [entry('a', { type: 'symlink', target: '/data/system/x' }), entry('a')]],
    ['a hard link out of the folder', [entry('a', { type: 'link', target: '../other/x' })]],
    ['a hard link to what is not there', [entry('a', { type: 'link', target: 'b' })]],
    ['a device', [entry('a', { type: 'block-device' })]],
    ['a pipe', [entry('a', { type: 'fifo' })]],
    ['an empty step', [entry('a//b')]],
    ['a zero byte', [entry('a\0b')]],
  ])('refuse %s', (_what, entries) => {
    const placed = placer();
    expect(() => entries.map((each) => placed.place(each))).toThrow(UnsafeEntry);
  });
});
