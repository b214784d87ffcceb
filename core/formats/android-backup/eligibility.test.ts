import { expect, it } from 'vitest';
import { whyNoBackup } from './eligibility.ts';

const app = { allowsBackup: true, isDebuggable: false, targetSdk: 31, uid: 10_061 };

it.each([
  ['gives its data', app, 30, undefined],
  ['made for Android 12 gives none there', app, 31, 'too-new'],
  ['made for Android 11 gives it there as well', { ...app, targetSdk: 30 }, 34, undefined],
  ['that is debuggable gives it anywhere', { ...app, isDebuggable: true }, 34, undefined],
  ['that forbids it gives none', { ...app, allowsBackup: false, isDebuggable: true }, 28, 'forbids'],
  ['that runs as the system gives none', { ...app, uid: 1000 }, 28, 'system'],
  ['of the second user gives its data', { ...app, uid: 1_010_061 }, 28, undefined],
  ['on a phone whose version is not known is taken to give it', app, undefined, undefined],
])('an app %s (Android, public documentation)', (_, each, sdk, why) => {
  expect(whyNoBackup(each, sdk)).toBe(why);
});
