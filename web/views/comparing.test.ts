// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it } from 'vitest';
import type {
  ComparedFile,
  ComparedPartition,
  FileComparison,
  PartitionDetail,
  SetComparison,
  TextComparison,
} from '@keen-larder/contract/comparing.ts';
import { useLarder } from '../state/larder.ts';
import { useRuns } from '../state/runs.ts';
import { answering, button, last, MiB, onEmptyStage, run, serial, set, show } from '../testing/stage.ts';
import ComparedApps from './larder/comparing/ComparedApps.vue';
import ComparedText from './larder/comparing/ComparedText.vue';
import ComparePage from './larder/comparing/ComparePage.vue';
import CompareWith from './larder/comparing/CompareWith.vue';

onEmptyStage();

const image = (sha256: string) => ({ bytes: 16 * MiB, sha256, isPartial: false, kind: 'block' as const });
const partition = (over: Partial<ComparedPartition>): ComparedPartition => ({
  partition: 'system',
  role: 'system',
  state: 'differs',
  before: image('a'),
  after: image('b'),
  differingBytes: 256 << 10,
  strip: [0, 0.5, 0],
  ...over,
});
const comparison: SetComparison = {
  before: set({ id: 's1', label: 'as received' }),
  after: set({ id: 's2', label: 'after the update' }),
  partitions: [
    partition({}),
    partition({
      partition: 'modem',
      role: 'radio',
      state: 'same',
      differingBytes: undefined,
      strip: undefined,
    }),
    partition({
      partition: 'boot',
      role: 'boot-chain',
      state: 'only after',
      before: undefined,
      differingBytes: undefined,
      strip: undefined,
    }),
  ],
};
const file: ComparedFile = {
  kind: 'file',
  bytes: 100,
  mode: 0o644,
  uid: 0,
  gid: 0,
  modifiedAt: 0,
  linkTarget: undefined,
  label: undefined,
  fault: undefined,
};
const detail: PartitionDetail = {
  blocks: undefined,
  facts: [{ within: ['ramdisk'], name: 'patch level', before: '2026-01', after: undefined }],
  trees: [''],
};
const files: FileComparison = {
  differences: [
    {
      path: '/a',
      state: 'changed',
      from: undefined,
      changes: ['content'],
      before: file,
      after: { ...file, bytes: 2048 },
    },
    { path: '/b', state: 'elsewhere', from: '/was', changes: [], before: undefined, after: file },
    {
      path: '/c',
      state: 'changed',
      from: undefined,
      changes: ['owner', 'mode'],
      before: file,
      after: { ...file, uid: 7, mode: 0o600 },
    },
    {
      path: '/d',
      state: 'changed',
      from: undefined,
      changes: ['time'],
      before: file,
      after: { ...file, modifiedAt: 1 },
    },
  ],
  counts: { added: 0, gone: 0, changed: 3, elsewhere: 1 },
  onlyTime: 1,
  isCut: false,
};

it('shows which images differ, and on demand the same ones as well', async () => {
  answering({ 'GET /sets/s1/against/s2': comparison });
  const shown = await show(ComparePage, { id: 's1', other: 's2' });
  await flushPromises();
  expect(shown.text()).toMatch(/1 of 3 differ, 1 is the same, 1 only in the second\./);
  const names = () => shown.findAll('tbody tr').map((row) => row.find('code').text());
  expect(names()).toEqual(['boot', 'system']);
  expect(shown.text()).toMatch(/256 KiB, 2 %/);
  await shown.find('input[type="checkbox"]').setValue(true);
  expect(names()).toEqual(['boot', 'system', 'modem']);
  const strip = shown.find('svg[aria-label="Where system differs"]');
  expect(strip.findAll('rect').map((each) => each.attributes('x'))).toEqual(['1']);
});

it('looks into the image that the address names: facts, files and what of them', async () => {
  answering({
    'GET /sets/s1/against/s2': comparison,
    'GET /sets/s1/against/s2/system': detail,
    'GET /sets/s1/against/s2/system/files': files,
  });
  const shown = await show(ComparePage, { id: 's1', other: 's2' }, '/larder/compare/s1/s2?partition=system');
  await flushPromises();
  await flushPromises();
  expect(shown.text()).toMatch(/ramdisk › patch level\s*2026-01\s*–/);
  expect(shown.text()).toMatch(/3 changed, 0 came, 0 went, 1 lie elsewhere now\./);
  expect(shown.text()).toMatch(/content, 100 B → 2 KiB/);
  expect(shown.text()).toMatch(/was \/was/);
  expect(shown.text()).toMatch(/owner 0:0 → 7:0; rights 0644 → 0600/);
  expect(shown.text()).not.toMatch(/\/d/);
});

it('says why sets cannot be compared', async () => {
  answering({ 'GET /sets/s1/against/s2': new Error('There is no such set.') });
  const shown = await show(ComparePage, { id: 's1', other: 's2' });
  await flushPromises();
  expect(shown.text()).toMatch(/These sets cannot be compared\s*There is no such set\./);
});

it('shows properties and lines of a text', async () => {
  const text: TextComparison = {
    beforeBytes: 10,
    afterBytes: 12,
    properties: [{ name: 'ro.a', before: '1', after: undefined }],
    hunks: [{ beforeLine: 3, afterLine: 4, lines: [' same', '-ro.a=1'] }],
  };
  answering({ 'GET /sets/s1/against/s2/system/text?path=%2Fbuild.prop': text });
  const shown = await show(ComparedText, {
    id: 's1',
    other: 's2',
    partition: 'system',
    part: '',
    path: '/build.prop',
  });
  await flushPromises();
  expect(shown.find('tbody').text()).toMatch(/ro\.a\s*1\s*not there/);
  expect(shown.text()).toMatch(/Line 3, now 4/);
  expect(shown.find('.was').text()).toBe('-ro.a=1');
});

it('offers the other sets, those of the phone first', async () => {
  useLarder().all = [
    set({ id: 's1', label: 'as received' }),
    set({ id: 's2', label: 'after the update' }),
    set({ id: 's3', label: 'of another', serial: 'OTHER', nickname: 'Boat shed' }),
    set({ id: 's4', label: 'thrown away', binnedAt: 1 }),
  ];
  const shown = await show(CompareWith, { set: useLarder().all[0]! });
  await shown.find('input').trigger('click');
  await flushPromises();
  const offered = [...document.querySelectorAll('.el-select-dropdown__item')].map((each) => each.textContent);
  expect(offered.length).toBe(2);
  expect(offered[0]).toMatch(/^after the update/);
  expect(offered[1]).toMatch(/^Boat shed: of another/);
});

it('tells apps that differ: version, grants and data', async () => {
  answering({
    'GET /sets/s1/against/s2/userdata/apps': [
      {
        ...{ package: 'example.tidebook', label: 'Tidebook', state: 'changed', changedFiles: 3 },
        ...{ before: { versionCode: 41, versionName: '4.1' }, after: { versionCode: 42 } },
        ...{ gained: ['android.permission.CAMERA'], lost: ['example.OWN'] },
      },
    ],
  });
  const shown = await show(ComparedApps, { id: 's1', other: 's2', partition: 'userdata' });
  await flushPromises();
  const cells = shown.findAll('tbody td').map((cell) => cell.text().replace(/\s+/g, ' '));
  expect(cells).toEqual([
    'Tidebook example.tidebook',
    'changed',
    '4.1',
    '42',
    '+ CAMERA, − example.OWN',
    '3 files',
  ]);
});

it('compares a set with its phone, which is asked first', async () => {
  const boot = {
    partition: 'boot',
    role: 'boot-chain' as const,
    differingBytes: undefined,
    strip: undefined,
  };
  const asked = (
    state: ComparedPartition['state'],
    over: Partial<ComparedPartition> = {},
  ): SetComparison => ({
    before: comparison.before,
    after: set({ id: 'phone:TW3K-10482', label: 'Ringing hut as it is now' }),
    partitions: [
      partition({ strip: undefined, differingBytes: undefined, ...over, state }),
      partition({ ...boot, state: state === 'differs' ? 'same' : state }),
    ],
  });
  let now = asked('unknown');
  const requests = answering({
    'GET /sets/s1/against/phone%3ATW3K-10482': () => now,
    'POST /phones/TW3K-10482/comparing': () => run({ kind: 'comparing', serial, state: 'running' }),
  });
  const shown = await show(ComparePage, { id: 's1', other: 'phone:TW3K-10482' });
  await flushPromises();
  expect(shown.text()).toMatch(/The phone was not asked yet\..*not asked yet/s);
  expect(shown.find('[title="The other way round"]').exists()).toBe(false);
  await button(shown, 'Ask the phone').trigger('click');
  await flushPromises();
  expect(last(requests, 'POST', '/phones/TW3K-10482/comparing')?.body).toEqual({ setId: 's1' });
  expect(button(shown, /digests its partitions/).attributes('disabled')).toBeDefined();
  now = asked('differs', { differingBytes: 1 << 20, strip: [1, 0] });
  useRuns().take(run({ kind: 'comparing', serial, state: 'done' }));
  await flushPromises();
  expect(shown.text()).toMatch(/1 of 2 differ, 1 is the same\./);
  expect(button(shown, 'Ask the phone again').exists()).toBe(true);
});
