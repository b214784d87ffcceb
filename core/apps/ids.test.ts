import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { appIdOf, cacheGroupOf, categoriesOf, isAppId, remapId, remapLabel, uidOf, userOf } from './ids.ts';

// android_filesystem_config.h of AOSP: AID_USER_OFFSET 100000, AID_APP_START 10000, AID_APP_END 19999,
// AID_CACHE_GID_START 20000, AID_EXT_GID_START 30000, AID_EXT_CACHE_GID_START 40000, AID_SHARED_GID_START 50000.
describe('ids of apps', () => {
  it('are the user times 100000 and an id from 10000 to 19999', () => {
    expect(uidOf(0, 10_061)).toBe(10_061);
    expect(uidOf(10, 10_061)).toBe(1_010_061);
    expect([userOf(1_010_061), appIdOf(1_010_061)]).toEqual([10, 10_061]);
    expect([9_999, 10_000, 19_999, 20_000].map(isAppId)).toEqual([false, true, true, false]);
    expect(() => uidOf(0, 1000)).toThrow(RangeError);
    expect(cacheGroupOf({ user: 0, appId: 10_061 })).toBe(20_061);
    expect(cacheGroupOf({ user: 10, appId: 10_061 })).toBe(1_020_061);
  });

  const from = { user: 0, appId: 10_061 };
  it.each([
    ['its own', 10_061, 10_084],
    ['of its cache', 20_061, 20_084],
    ['of its external files', 30_061, 30_084],
    ['of its external cache', 40_061, 40_084],
    ['of its shared files', 50_061, 50_084],
    ['of another app', 10_062, 10_062],
    ['of the system', 1000, 1000],
    ['of shared storage', 1023, 1023],
    ['of root', 0, 0],
    ['of the same app for another user', 1_010_061, 1_010_061],
  ])('%s: %i becomes %i', (_what, id, expected) => {
    expect(remapId(id, from, { user: 0, appId: 10_084 })).toBe(expected);
  });

  it('go to another user, but for the groups that say none', () => {
    const to = { user: 10, appId: 10_084 };
    expect(remapId(10_061, from, to)).toBe(1_010_084);
    expect(remapId(20_061, from, to)).toBe(1_020_084);
    expect(remapId(50_061, from, to)).toBe(50_084);
  });

  it('come back by the way they went', () => {
    const appId = fc.integer({ min: 10_000, max: 19_999 });
    fc.assert(
      fc.property(appId, appId, fc.integer({ min: 0, max: 59_999 }), (a, b, id) => {
        const [one, other] = [
          { user: 0, appId: a },
          { user: 0, appId: b },
        ];
        const there = remapId(id, one, other);
        // What was the other app's before would be taken for the moved one's.
        fc.pre(there !== id || remapId(id, other, one) === id);
        expect(remapId(there, other, one)).toBe(id);
      }),
    );
  });
});

// android_seapp.c of AOSP: "c%u,c%u,c%u,c%u" of appid & 0xff, 256 + (appid>>8 & 0xff), 512 + (userid & 0xff),
// 768 + (userid>>8 & 0xff), the appid counted from AID_APP.
describe('labels of app files', () => {
  it.each([
    [0, 10_061, 'c61,c256,c512,c768'],
    [0, 10_300, 'c44,c257,c512,c768'],
    [10, 10_061, 'c61,c256,c522,c768'],
    [300, 19_999, 'c15,c295,c556,c769'],
  ])('user %i, app %i: %s', (user, appId, categories) => {
    expect(categoriesOf({ user, appId })).toBe(categories);
  });

  it('keep their type and take the categories of the place', () => {
    const to = { user: 0, appId: 10_084 };
    expect(remapLabel('u:object_r:app_data_file:s0:c61,c256,c512,c768', to)).toBe(
      'u:object_r:app_data_file:s0:c84,c256,c512,c768',
    );
    // Apps for Android before 9: by the user alone.
    expect(remapLabel('u:object_r:app_data_file:s0:c512,c768', to)).toBe(
      'u:object_r:app_data_file:s0:c512,c768',
    );
    expect(remapLabel('u:object_r:app_data_file:s0:c512,c768', { user: 10, appId: 10_084 })).toBe(
      'u:object_r:app_data_file:s0:c522,c768',
    );
    for (const label of ['u:object_r:system_data_file:s0', 'nonsense', ''])
      expect(remapLabel(label, to)).toBe(label);
  });
});
