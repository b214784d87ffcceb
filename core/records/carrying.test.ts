import { describe, expect, it } from 'vitest';
import { carriedRecordsChecks, recordLines, whyNotCarried } from './carrying.ts';
import { recordKindIds, type CopiedRecords, type RecordFile, type RecordKindId } from './kinds.ts';

const file = (path: string, over: Partial<RecordFile> = {}): RecordFile => ({
  ...{ path, bytes: 10, uid: 1000, gid: 1000, mode: 0o100_600 },
  ...over,
});
const of = (kind: RecordKindId, over: Partial<CopiedRecords> = {}): CopiedRecords => ({
  ...{ kind, files: [file('/system/users/0/wallpaper')], sdk: 28 },
  ...over,
});

describe('records in an archive', () => {
  it('are those that may leave their build', () => {
    expect(recordKindIds.filter((kind) => whyNotCarried(of(kind)) === undefined)).toEqual([
      ...['wifi', 'contacts', 'messages', 'calls', 'calendar', 'wallpaper', 'sounds', 'words'],
    ]);
  });

  it('are not those that cannot be put back, or told in a line', () => {
    expect(whyNotCarried(of('contacts', { missing: 'pictures' }))).toMatch(/content provider told it/);
    expect(whyNotCarried(of('contacts', { sdk: undefined }))).toMatch(/which Android/);
    expect(whyNotCarried(of('wallpaper', { sdk: undefined }))).toBeUndefined();
    expect(whyNotCarried(of('wallpaper', { files: [] }))).toMatch(/no files/);
    const named = (path: string) => whyNotCarried(of('sounds', { files: [file(path)] }));
    for (const path of ['/media/0/Alarms/a\nb', '/media/0/Alarms/ a', '/media/0/Alarms/a ', '/media/0/x /a'])
      expect(named(path), path).toMatch(/has a name that no list/);
    for (const path of ['/media/0/Alarms/Tide  bell.ogg', '/media/0/Alarms/$(x) "y" \\z *'])
      expect(named(path), path).toBeUndefined();
  });

  it('keep the platform’s owners and labels, and take those of the phone for what is an app’s', () => {
    const files = [
      file('/system/users/0/wallpaper', { label: 'u:object_r:wallpaper_file:s0' }),
      file('/system/users/0/wallpaper_info.xml', {
        ...{ uid: 10_003, gid: 10_003, mode: 0o644 },
        label: 'u:object_r:privapp_data_file:s0:c512,c768',
      }),
    ];
    const items = files.map((each, i) => ({ member: `m${i}`, file: each, sha256: `d${i}` }));
    expect(recordLines([{ records: of('wallpaper', { files }), items }])).toEqual([
      'record 1 0 Wallpaper',
      'place 1 system/users/0/wallpaper',
      'place 1 system/users/0/wallpaper_orig',
      'place 1 system/users/0/wallpaper_info.xml',
      'item 1 m0 600 1000:1000 u:object_r:wallpaper_file:s0 d0 system/users/0/wallpaper',
      'item 1 m1 644 - - d1 system/users/0/wallpaper_info.xml',
    ]);
  });

  it('are told with what goes for them, where they may go, and what can be read in them', () => {
    const checks = (...some: Parameters<typeof carriedRecordsChecks>[0]) =>
      carriedRecordsChecks(some).map(({ id, severity, sentence }) => [id, severity, sentence]);
    expect(checks()).toEqual([]);
    expect(
      checks({ records: of('wifi'), isDamaged: false }, { records: of('sounds'), isDamaged: false }),
    ).toEqual([
      [
        ...['data-replaced', 'note'],
        'Wi-Fi networks and Sounds: what the phone has of them goes. Wi-Fi networks: only onto Android API level 28.',
      ],
      ['has-secrets', 'note', 'Wi-Fi networks: whoever has the archive can read them in it.'],
    ]);
    expect(checks({ records: of('sounds'), isDamaged: true })[0]).toEqual([
      ...['image-damaged', 'stop', 'Sounds: its copy is damaged on the shelf.'],
    ]);
  });
});
