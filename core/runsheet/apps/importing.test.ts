import { describe, expect, it } from 'vitest';
import { copiedApp } from '../../testing/apps.ts';
import { importingAppsSheet, type ImportingAppsFacts, type WantedCopy } from './importing.ts';

const phone = { serial: 'S-1', maker: 'Tidewell', model: 'Knot 3', nickname: 'Ringing hut' };
const sha256 = 'ab'.repeat(32);
const copy = (over: Partial<WantedCopy> = {}): WantedCopy => ({
  path: 'x/base.apk',
  app: copiedApp('example.tidebook'),
  from: phone,
  parts: [
    { path: 'x/base.apk', name: 'base.apk', kind: 'program', bytes: 1 << 20, sha256 },
    { path: 'x/data.tar', name: 'data.tar', kind: 'data', bytes: 1 << 20, sha256 },
  ],
  ...over,
});
const sheet = (over: Partial<ImportingAppsFacts> = {}) =>
  importingAppsSheet({
    copies: [copy()],
    unknown: [],
    serial: 'S-1',
    isListed: () => false,
    shelf: { freeBytes: 1 << 30 },
    bytesPerSecond: 1 << 20,
    ...over,
  });
const ids = (over: Partial<ImportingAppsFacts>) =>
  sheet(over).checks.map(({ id, severity }) => `${severity} ${id}`);
const [program, data] = copy().parts;
const bare = (parts = copy().parts) =>
  copy({ parts: parts.map((part) => ({ ...part, sha256: undefined }) as never), from: undefined as never });

describe('copies of apps that come as files', () => {
  it('are a step each, and nothing stands in the way of what its description vouches for', () => {
    expect(sheet()).toMatchObject({
      steps: [
        { kind: 'copy', text: 'Take in Tidebook from 2 files', app: 'example.tidebook', bytes: 2 << 20 },
      ],
      bytes: 2 << 20,
      expectedMs: 2000,
    });
    expect(ids({})).toEqual(['good checksums-beside']);
  });

  it.each<[string, Partial<ImportingAppsFacts>]>([
    ['stop nothing-picked', { copies: [] }],
    ['stop phone-not-named', { serial: '' }],
    ['stop shelf-space', { shelf: { freeBytes: 1 << 20 } }],
    ['stop content-differs', { copies: [copy({ fault: 'data.tar is missing' })] }],
    ['stop app-not-known', { unknown: [{ path: 'a.tar', package: undefined }] }],
    ['stop app-not-known', { unknown: [{ path: 'a.tar', package: 'example.nobody' }] }],
    ['note no-description', { copies: [bare()] }],
    ['note checksums-beside', { copies: [bare()] }],
    ['good checksums-beside', { copies: [bare()], isListed: () => true }],
    ['note data-without-program', { copies: [copy({ parts: [data!] })] }],
  ])('say %s', (line, over) => expect(ids(over)).toContain(line));

  it('of a program alone are nothing to be noted for that', () => {
    expect(ids({ copies: [copy({ parts: [program!] })] })).toEqual(['good checksums-beside']);
  });
});
