import 'reflect-metadata';
import { plainToInstance } from 'class-transformer';
import { validateSync } from 'class-validator';
import { describe, expect, it } from 'vitest';
import { ImagingRequest, ImagingStart } from './imaging.ts';
import { PhoneChange, RestartRequest } from './phones.ts';
import { BatteryAction, practiceActionKind, PullAfterAction } from './practice.ts';
import { RestoringStart } from './restoring.ts';
import { SetChange } from './larder/sets.ts';

/** Names of the fields that are refused; none when the request is good. */
function refused<T extends object>(kind: new () => T, body: object): string[] {
  return validateSync(plainToInstance(kind, body), { whitelist: true, forbidUnknownValues: true }).map(
    ({ property }) => property,
  );
}

const imaging = { picked: ['boot', 'system_a'], label: 'Knot 3 · stock 9' };
const restoring = {
  puts: [{ setId: 's1', partition: 'boot' }],
  restartAfter: true,
  confirmed: [],
  armedWith: '0482',
};

it('a control of the practice bench is known by its name alone', () => {
  expect(practiceActionKind({ do: 'battery' })).toBe(BatteryAction);
  for (const body of [{ do: 'explode' }, { do: 'constructor' }, { do: 1 }, {}, null, 'mend'])
    expect(practiceActionKind(body)).toBeUndefined();
});

describe('what browsers may ask for', () => {
  it('is taken when it makes sense', () => {
    expect(refused(ImagingRequest, imaging)).toEqual([]);
    expect(refused(ImagingRequest, { picked: [], label: '' })).toEqual([]);
    expect(refused(ImagingStart, { ...imaging, confirmed: ['battery'] })).toEqual([]);
    expect(refused(RestoringStart, restoring)).toEqual([]);
    expect(refused(RestartRequest, { into: 'recovery' })).toEqual([]);
    expect(refused(PhoneChange, { nickname: 'Ringing hut — new' })).toEqual([]);
    expect(refused(SetChange, {})).toEqual([]);
    expect(refused(SetChange, { label: 'x', note: 'several\nlines', binned: true })).toEqual([]);
    expect(refused(BatteryAction, { do: 'battery', percent: 40, chargesOnCable: false })).toEqual([]);
  });

  it.each([
    [ImagingRequest, { ...imaging, picked: ['../../etc/passwd'] }, 'picked'],
    [ImagingRequest, { ...imaging, picked: ["boot'; reboot"] }, 'picked'],
    [ImagingRequest, { ...imaging, picked: ['x'.repeat(73)] }, 'picked'],
    [ImagingRequest, { ...imaging, picked: ['boot', 'boot'] }, 'picked'],
    [ImagingRequest, { ...imaging, picked: Array.from({ length: 513 }, (_, i) => `p${i}`) }, 'picked'],
    [ImagingRequest, { ...imaging, picked: 'boot' }, 'picked'],
    [ImagingRequest, { ...imaging, picked: [7] }, 'picked'],
    [ImagingRequest, { ...imaging, label: 'two\nlines' }, 'label'],
    [ImagingRequest, { ...imaging, label: 'x'.repeat(121) }, 'label'],
    [ImagingStart, imaging, 'confirmed'],
    [ImagingStart, { ...imaging, confirmed: [1] }, 'confirmed'],
    [RestoringStart, { ...restoring, armedWith: undefined }, 'armedWith'],
    [RestoringStart, { ...restoring, armedWith: '0'.repeat(17) }, 'armedWith'],
    [RestoringStart, { ...restoring, restartAfter: 'yes' }, 'restartAfter'],
    [RestoringStart, { ...restoring, puts: 'boot' }, 'puts'],
    [RestoringStart, { ...restoring, puts: [{ setId: 's1', partition: '../boot' }] }, 'puts'],
    [RestoringStart, { ...restoring, activate: 'c' }, 'activate'],
    [RestartRequest, { into: 'fastboot' }, 'into'],
    [PhoneChange, { nickname: '' }, 'nickname'],
    [PhoneChange, { nickname: 'x'.repeat(61) }, 'nickname'],
    [PhoneChange, { nickname: 'bell\u0007' }, 'nickname'],
    [SetChange, { label: '' }, 'label'],
    [SetChange, { note: 'x'.repeat(4001) }, 'note'],
    [SetChange, { binned: 1 }, 'binned'],
    [BatteryAction, { do: 'battery', percent: 0, chargesOnCable: true }, 'percent'],
    [BatteryAction, { do: 'battery', percent: 1.5, chargesOnCable: true }, 'percent'],
    [BatteryAction, { do: 'battery', percent: 50 }, 'chargesOnCable'],
    [PullAfterAction, { do: 'pull-after', bytes: -1 }, 'bytes'],
  ])('%o with %j is refused', (kind, body, field) => {
    expect(refused(kind as new () => object, body)).toEqual([field]);
  });
});
