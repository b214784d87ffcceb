import { describe, expect, it } from 'vitest';
import { homeRows, toldRows } from './home.ts';
import {
  androidIdsIn,
  componentsIn,
  exemptIn,
  languagesIn,
  opsIn,
  rolesIn,
  widgetsIn,
  withAndroidId,
} from './reading.ts';

// Forms of Android 9, 11, 13 and 14, after the platform's own writers (AOSP frameworks/base); what no source was at hand for is marked.
describe('operations that somebody allowed or forbade', () => {
  // AppOpsService.Shell, from memory: without modes of the uid in Android 9, with durations since 11.
  it.each([
    ['9', 'CAMERA: ignore\nVIBRATE: allow; time=+1d2h3m ago; duration=+21ms\n', { CAMERA: 'ignore' }],
    [
      '11',
      'Uid mode: COARSE_LOCATION: foreground\nRUN_ANY_IN_BACKGROUND: ignore; rejectTime=+2d1h ago\n',
      { RUN_ANY_IN_BACKGROUND: 'ignore' },
    ],
    [
      '13',
      'Uid mode: POST_NOTIFICATION: ignore\nSYSTEM_ALERT_WINDOW: allow\nCAMERA: allow; time=+5m ago (running)\n',
      { SYSTEM_ALERT_WINDOW: 'allow' },
    ],
    ['14', 'No operations.\nDefault mode: allow\n', {}],
  ])('as Android %s prints them', (_version, text, wanted) => expect(opsIn(text)).toEqual(wanted));

  it('are not told by another text', () => expect(opsIn("Can't find service: appops\n")).toBeUndefined());
});

const ssaid = (entry: string) =>
  `<?xml version='1.0' encoding='UTF-8' standalone='yes' ?>\n<settings version="-1">\n  <setting id="0" name="userkey" value="${'AB'.repeat(32)}" package="android" defaultValue="x" defaultSysSet="true" />\n${entry}</settings>\n`;
const ofTides = '  <setting id="7" name="10061" value="0123456789abcdef" package="example.tidebook" />\n';

describe('ids of apps', () => {
  it('are read by package, the key of the phone not among them', () =>
    expect([...androidIdsIn(ssaid(ofTides))]).toEqual([
      ['example.tidebook', { uid: 10_061, id: '0123456789abcdef' }],
    ]));

  it('go in for the uid that the app has now, in place of a new one; the others stay', () => {
    const before = ssaid(
      `${ofTides}  <setting id="9" name="10080" value="aaaaaaaaaaaaaaaa" package="example.marshlog" />\n`,
    );
    const after = withAndroidId(before, {
      package: 'example.tidebook',
      uid: 10_090,
      id: 'fedcba9876543210',
    })!;
    expect([...androidIdsIn(after)]).toEqual([
      ['example.marshlog', { uid: 10_080, id: 'aaaaaaaaaaaaaaaa' }],
      ['example.tidebook', { uid: 10_090, id: 'fedcba9876543210' }],
    ]);
    expect(after).toContain('name="userkey"');
    expect(after).toContain('<setting id="10" name="10090"');
    expect(withAndroidId('', { package: 'a', uid: 1, id: '0'.repeat(16) })).toBeUndefined();
  });
});

describe('what the system as a whole notes', () => {
  it('of roles', () =>
    expect([
      ...rolesIn(
        '<roles version="1" packagesHash="x"><role name="android.app.role.SMS"><holder name="example.gullmail" /></role><role name="android.app.role.HOME"><holder name="example.perch" /></role><role name="android.app.role.BROWSER" /><role name="android.app.role.DIALER"><holder name="example.gullmail" /></role></roles>',
      ),
    ]).toEqual([
      ['example.gullmail', ['SMS', 'DIALER']],
      ['example.perch', ['HOME']],
    ]));

  it('of components in its settings', () => {
    expect(componentsIn('example.a/.Reader:example.b/example.b.deep.Reader\n')).toEqual([
      'example.a/example.a.Reader',
      'example.b/example.b.deep.Reader',
    ]);
    expect(componentsIn('null\n')).toEqual([]);
  });

  it('of whom it spares', () => {
    const text =
      'system-excidle,com.android.x,10001\nsystem,com.android.y,1000\nuser,example.tidebook,10061\n';
    expect([...exemptIn(text)!]).toEqual(['example.tidebook']);
    expect(exemptIn("Can't find service: deviceidle")).toBeUndefined();
    expect(exemptIn('')!.size).toBe(0);
  });

  it('of languages', () => {
    expect(languagesIn('Locales for example.a for user 0 are [de-DE,en]\n')).toBe('de-DE,en');
    expect(languagesIn('Locales for example.a for user 0 are []\n')).toBe('');
    expect(languagesIn('cmd: Can’t find service: locale')).toBeUndefined();
  });

  it('of widgets', () =>
    expect([
      ...widgetsIn(
        '<gs version="1"><h pkg="example.perch" id="400" tag="0" /><p pkg="example.tidebook" cl="example.tidebook.W" tag="0" /><p pkg="example.b" cl="x" tag="1" /><g id="1" rid="0" h="0" p="0" /><g id="2" h="0" p="0" /><g id="3" h="0" /></gs>',
      ),
    ]).toEqual([['example.tidebook', 2]]));
});

describe('at home again', () => {
  const home = {
    ops: { CAMERA: 'ignore' },
    androidId: '0123456789abcdef',
    roles: ['HOME'],
    listeners: ['example.a/example.a.Reader'],
    accessibility: [],
    isExempt: true,
    languages: 'de',
    widgets: 2,
  };
  const states = (root: boolean, sdk: number | undefined, app: Parameters<typeof homeRows>[0]) =>
    Object.fromEntries(toldRows(homeRows(app, { root, sdk })).map(({ kind, state }) => [kind, state]));

  it('is told row by row, for the phone that it goes to', () => {
    const app = { installer: 'example.shop', home: { ...home, updateOwner: 'example.shop' } };
    const always = { store: 'comes-back', ops: 'comes-back', listeners: 'comes-back', exempt: 'comes-back' };
    const nine = { roles: 'cannot', languages: 'cannot', 'update-owner': 'cannot', widgets: 'cannot' };
    expect(states(true, 28, app)).toEqual({ ...always, ...nine, 'android-id': 'with-restart' });
    expect(states(false, 30, app)).toEqual({
      ...{ ...always, ...nine, roles: 'comes-back' },
      'android-id': 'cannot',
    });
    expect(states(true, 34, app)).toEqual({
      ...{ ...always, roles: 'comes-back', languages: 'comes-back', 'update-owner': 'comes-back' },
      ...{ widgets: 'cannot', 'android-id': 'with-restart' },
    });
    expect(states(true, 28, { home: { roles: ['SMS'] } }).roles).toBe('comes-back');
  });

  it('says what a copy does not tell, and nothing of what the app had not', () => {
    expect(Object.values(states(true, 34, { installer: 'example.shop' }))).toEqual([
      'comes-back',
      ...Array<string>(9).fill('unknown'),
    ]);
    expect(
      states(true, 34, { home: { ops: {}, roles: [], isExempt: false, widgets: 0, languages: '' } }),
    ).toEqual({
      ...{ 'android-id': 'unknown', listeners: 'unknown', accessibility: 'unknown' },
    });
  });
});
