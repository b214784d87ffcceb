import { describe, expect, it } from 'vitest';
import type { AppFacts } from '../apps/facts.ts';
import { isAbleTo, partsOf } from './apps/able.ts';
import { armingText, mustArm } from './arming.ts';
import { mayBeKeptAlready } from './imaging.ts';
import { bundlesOf } from './restoring/bundles.ts';

describe('what must be armed', () => {
  const step = (kind: 'read' | 'write' | 'lock' | 'copy') => ({ kind, text: kind, bytes: 1 });
  it('is what writes partitions, changes locks, or replaces data', () => {
    expect(armingText('TW3K-10482')).toBe('0482');
    expect(mustArm({ steps: [step('read'), step('copy')], checks: [] })).toBe(false);
    expect(mustArm({ steps: [step('write')], checks: [] })).toBe(true);
    expect(mustArm({ steps: [step('lock')], checks: [] })).toBe(true);
    const replaces = { id: 'data-replaced', severity: 'confirm', title: 'x', sentence: 'y' } as const;
    expect(mustArm({ steps: [], checks: [replaces] })).toBe(true);
  });
});

describe('picked apps', () => {
  const installed = { isEnabled: true, isRemoved: false, isBuiltIn: true } as AppFacts;
  it('can be copied where they are, put back where there is a copy, changed where that changes something', () => {
    expect(isAbleTo('copy', 'disable', { installed, copies: [] })).toBe(true);
    expect(isAbleTo('copy', 'disable', { installed: undefined, copies: [1] })).toBe(false);
    expect(isAbleTo('put-back', 'disable', { installed: undefined, copies: [1] })).toBe(true);
    expect(isAbleTo('put-back', 'disable', { installed, copies: [] })).toBe(false);
    expect(isAbleTo('change', 'disable', { installed, copies: [] })).toBe(true);
    expect(isAbleTo('change', 'enable', { installed, copies: [] })).toBe(false);
  });

  it('come to parts', () => {
    expect(partsOf('both', false)).toEqual(['program', 'data', 'device-data']);
    expect(partsOf('program', true)).toEqual(['program']);
    expect(partsOf('data', true)).toEqual(['data', 'device-data', 'external', 'media', 'obb']);
  });
});

it('a partition that is kept whole need not be read again, and no other', () => {
  const boot = { name: 'boot', role: 'boot-chain', bytes: 32 << 20 } as const;
  expect(mayBeKeptAlready({ ...boot, kept: { bytes: boot.bytes } })).toBe(true);
  expect(mayBeKeptAlready({ ...boot, kept: { bytes: 1 } })).toBe(false);
  expect(mayBeKeptAlready({ ...boot, kept: { bytes: boot.bytes, ranges: [] } })).toBe(false);
  expect(mayBeKeptAlready(boot)).toBe(false);
});

it('the usual picks of a set leave out what is never written', () => {
  const images = [
    { partition: 'boot', role: 'boot-chain', kind: 'block' },
    { partition: 'system', role: 'system', kind: 'block' },
    { partition: 'cache', role: 'scratch', kind: 'block' },
    { partition: 'gpt-primary', role: 'other', kind: 'block' },
    { partition: 'userdata-files', role: 'user-data', kind: 'archive' },
  ] as const;
  expect(Object.fromEntries(bundlesOf(images).map(({ name, picked }) => [name, picked]))).toEqual({
    'Boot and system': ['boot', 'system'],
    'Boot chain': ['boot'],
    'All but user data': ['boot', 'system'],
    Everything: ['boot', 'system', 'cache'],
    Files: ['userdata-files'],
  });
});
