// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { useNotices } from '../state/notices/notices.ts';
import { usePicks } from '../state/picks.ts';
import { useRuns } from '../state/runs.ts';
import {
  button,
  last,
  onEmptyStage,
  answering,
  facts,
  partitions,
  phone,
  run,
  serial,
  set,
  show,
  type Shown,
  eventually,
} from '../testing/stage.ts';
import BenchView from './bench/BenchView.vue';
import PhoneHeader from './bench/PhoneHeader.vue';
import PhoneStorage from './bench/storage/PhoneStorage.vue';
import LarderView from './larder/LarderView.vue';
import SetPage from './larder/SetPage.vue';
import PracticeBench from './practice/PracticeBench.vue';
import RunsView from './runs/RunsView.vue';

onEmptyStage();

describe('Bench', () => {
  it('tells how to go on with a phone that is not here', async () => {
    const bench = useBench();
    bench.loaded = true;
    const words = async (over: Parameters<typeof phone>[0]) => {
      bench.take(phone({ facts: undefined, ...over }));
      return (await show(BenchView, { serial })).text();
    };
    expect(await words({ presence: 'looping' })).toMatch(/does not start.*Hold Power and Volume up/s);
    expect(await words({ presence: 'restarting', expectedMode: 'recovery' })).toMatch(
      /restarting into recovery/,
    );
    expect(await words({ presence: 'away' })).toMatch(/is away.*USB debugging/s);
    expect((await show(BenchView, { serial: 'NOBODY' })).text()).toMatch(/No phone with the serial NOBODY/);
  });

  it('is empty until a phone is connected', async () => {
    const bench = useBench();
    expect((await show(BenchView)).text()).toMatch(/Loading the bench/);
    bench.loaded = true;
    expect((await show(BenchView)).text()).toMatch(/No phone is on the bench/);
  });

  it('heads a phone with its condition, its mode, and what the mode allows', async () => {
    const shown = await show(PhoneHeader, { phone: phone() });
    expect(shown.findAll('.chips li').map((chip) => chip.text())).toEqual([
      'TideOS 9 TW3.260301.004',
      'patch 2026-03-05',
      'rooted',
      'not encrypted',
      'bootloader unlocked',
    ]);
    expect(shown.find('.mode').text()).toContain(
      'In recovery mode: partitions read and write · apps and records need system mode',
    );
    const system = { ...facts, mode: 'system' as const };
    const running = await show(PhoneHeader, { phone: phone({ facts: system }) });
    expect(running.find('.mode').text()).toContain(
      'In system mode: partitions read only · apps and records read and write',
    );
    expect(button(running, 'recovery').exists()).toBe(true);
  });

  it('restarts and renames', async () => {
    const asked = answering({
      [`POST /phones/${serial}/restart`]: phone({ presence: 'restarting' }),
      [`PATCH /phones/${serial}`]: phone({ nickname: 'North hide' }),
    });
    const shown = await show(PhoneHeader, { phone: phone() });
    await button(shown, 'system').trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/restart`)?.body).toEqual({ into: 'system' });
    await shown.find('button[aria-label="Rename: nickname"]').trigger('click');
    await flushPromises();
    await shown.find('input').setValue('North hide');
    await shown.find('input').trigger('keydown', { key: 'Enter' });
    await flushPromises();
    expect(last(asked, 'PATCH', `/phones/${serial}`)?.body).toEqual({ nickname: 'North hide' });
  });

  it('does not restart a phone that a run works on', async () => {
    const shown = await show(PhoneHeader, { phone: phone({ runId: 'r1' }) });
    expect(button(shown, 'system').attributes('disabled')).toBeDefined();
  });

  it('picks by purpose, by table, and all', async () => {
    answering({ [`GET /phones/${serial}/partitions`]: partitions });
    const shown = await show(PhoneStorage, { phone: phone() });
    await eventually(() => expect(shown.text()).toMatch(/0 of 7 picked/));
    const picks = usePicks().forPhone(serial);
    await button(shown, 'Before a flash').trigger('click');
    expect([...picks.picked].sort()).toEqual(['boot', 'efs', 'frp', 'persist', 'system']);
    await button(shown, 'Identity').trigger('click');
    expect(picks.picked).toEqual(['efs', 'persist']);
    expect(shown.text()).toMatch(/2 of 7 picked · 48 MiB/);
    await button(shown, 'Everything').trigger('click');
    expect(picks.picked).not.toContain('cache');
    await button(shown, 'None').trigger('click');
    expect(picks.picked).toEqual([]);
  });

  it('compares what is picked and kept with the larder, or all that is kept', async () => {
    const asked = answering({
      [`GET /phones/${serial}/partitions`]: partitions,
      [`POST /phones/${serial}/comparing`]: run({ kind: 'comparing' }),
    });
    const shown = await show(PhoneStorage, { phone: phone() });
    await eventually(() => expect(button(shown, 'Compare')).toBeDefined());
    await button(shown, 'Compare').trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/comparing`)?.body).toEqual({});
    await button(shown, 'Identity').trigger('click');
    await button(shown, 'Compare picked').trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', `/phones/${serial}/comparing`)?.body).toEqual({ picked: ['efs'] });
  });

  it('says why partitions cannot be shown', async () => {
    answering({ [`GET /phones/${serial}/partitions`]: new Error('This mode gives no access.') });
    const shown = await show(PhoneStorage, { phone: phone() });
    await eventually(() => expect(shown.text()).toMatch(/This mode gives no access/));
  });
});

describe('Larder', () => {
  const sets = [
    set(),
    set({ id: 's2', label: 'as received', condition: { kind: 'stock', build: 'TideOS 9 TW3.260105.002' } }),
    set({ id: 's3', label: 'thrown away', binnedAt: 1 }),
  ];
  const shelf = {
    name: 'Bench disk',
    path: '/x',
    freeBytes: 1,
    totalBytes: 2,
    storedBytes: 3,
    imagedBytes: 4,
    setCount: 2,
    freedBytes: 0,
    seal: 'none',
    absence: undefined,
    doubts: [],
  };
  async function larder(answers: Record<string, unknown> = {}) {
    const asked = answering({ 'GET /sets': sets, 'GET /shelf': shelf, ...answers });
    await useLarder().load();
    return { shown: await show(LarderView, {}, '/larder'), asked };
  }
  const labels = (shown: Shown) => shown.findAll('.label h2').map((each) => each.text());

  it('shows labels, and filters them by any of their words', async () => {
    const { shown } = await larder();
    expect(labels(shown)).toHaveLength(2);
    const filter = shown.find('input[aria-label="Filter the sets"]');
    for (const [words, found] of [
      ['RECEIVED', ['as received']],
      ['260105', ['as received']],
      [`${serial} knot`, [sets[0]!.label, 'as received']],
      ['f7cf', [sets[0]!.label, 'as received']],
      ['nothing', []],
    ] as const) {
      await filter.setValue(words);
      expect(labels(shown)).toEqual(found);
    }
    expect(shown.text()).toMatch(/0 of 2: 2 hidden by the filter/);
    await shown.find('.hidden a').trigger('click');
    expect(labels(shown)).toHaveLength(2);
  });

  it('keeps the bin apart, and takes out of it', async () => {
    const { shown, asked } = await larder({ 'PATCH /sets/s3': set({ id: 's3' }) });
    await button(shown, 'Bin (1)').trigger('click');
    expect(labels(shown)).toEqual(['thrown away']);
    await button(shown, 'Take out of the bin').trigger('click');
    await flushPromises();
    expect(last(asked, 'PATCH', '/sets/s3')?.body).toEqual({ binned: false });
    await button(shown, 'Back to the sets').trigger('click');
    expect(labels(shown)).toHaveLength(2);
  });

  it('invites to begin when nothing is kept', async () => {
    const { shown } = await larder({ 'GET /sets': [] });
    expect(shown.text()).toMatch(/Nothing is kept yet.*start imaging/s);
  });

  it('opens a set: what, of which phone, in which condition, how verified', async () => {
    answering({ 'GET /sets/s1': set({ verifiedAt: Date.now() - 86_400_000, note: 'cracked screen' }) });
    const shown = await show(SetPage, { id: 's1' });
    expect(shown.find('h1').text()).toBe(set().label);
    expect(shown.find('dl').text()).toMatch(/rooted\s*TideOS 9 TW3\.260301\.004/);
    expect(shown.find('dl').text()).toMatch(/yesterday\s*all as it was kept/);
    expect(shown.find('textarea').element.value).toBe('cracked screen');
    expect(shown.find('a[href="/api/sets/s1/export?form=raw&packing=none"]').exists()).toBe(true);
  });

  it('leaves a note that somebody is typing when something else of the larder changes', async () => {
    let answer = set({ note: 'cracked screen' });
    const asked = answering({
      'GET /sets': () => [],
      'GET /shelf': () => ({}),
      'GET /sets/s1': () => answer,
      'PATCH /sets/s1': (body: { note: string }) => (answer = set({ note: body.note })),
    });
    const shown = await show(SetPage, { id: 's1' });
    const field = shown.find('textarea');
    await field.setValue('a dunlin in flight');
    await useLarder().load();
    await flushPromises();
    expect(field.element.value).toBe('a dunlin in flight');
    await field.trigger('blur');
    await flushPromises();
    expect(last(asked, 'PATCH', '/sets/s1')?.body).toEqual({ note: 'a dunlin in flight' });
    // A note that nobody types in follows.
    answer = set({ note: 'mended' });
    await useLarder().load();
    await flushPromises();
    expect(field.element.value).toBe('mended');
  });

  it('sends a set to the bin with a way back, and begins verifying and exporting', async () => {
    const asked = answering({
      'GET /sets/s1': set(),
      'PATCH /sets/s1': set({ binnedAt: 1 }),
      'POST /sets/s1/verifying': run({ id: 'v', kind: 'verifying' }),
      'POST /sets/s1/exporting': run({ id: 'e', kind: 'exporting' }),
    });
    const shown = await show(SetPage, { id: 's1' });
    await button(shown, /Verify/).trigger('click');
    await button(shown, /Export to a folder/).trigger('click');
    await flushPromises();
    expect(Object.keys(useRuns().byId).sort()).toEqual(['e', 'v']);
    await button(shown, /Delete/).trigger('click');
    await flushPromises();
    expect(last(asked, 'PATCH', '/sets/s1')?.body).toEqual({ binned: true });
    useNotices().list[0]!.action!.run();
    await flushPromises();
    expect(last(asked, 'PATCH', '/sets/s1')?.body).toEqual({ binned: false });
  });

  it('says so when a set is not there', async () => {
    answering({ 'GET /sets/nope': new Error('There is no such set. It may have been deleted.') });
    expect((await show(SetPage, { id: 'nope' })).text()).toMatch(/cannot be shown.*There is no such set/s);
  });
});

describe('Runs', () => {
  it('are listed with what came of them', async () => {
    const runs = useRuns();
    runs.loaded = true;
    runs.take(run({ id: 'a', state: 'done', endedAt: Date.now(), outcome: '2 images, 48 MiB.' }));
    runs.take(run({ id: 'b', state: 'interrupted', startedAt: 5, outcome: 'Start it again.' }));
    const shown = await show(RunsView, {}, '/runs');
    const rows = shown.findAll('li').map((row) => row.text());
    expect(rows[0]).toMatch(/2 images, 48 MiB.*done/s);
    expect(rows[1]).toMatch(/Start it again.*interrupted/s);
  });

  it('open with their chart and their log, which goes on while they run', async () => {
    answering({ 'GET /runs/r1/log': [{ seq: 1, at: 0, level: 'info', text: 'Read efs' }] });
    const runs = useRuns();
    runs.loaded = true;
    runs.take(run());
    const shown = await show(RunsView, { id: 'r1' }, '/runs/r1');
    await eventually(() => expect(shown.find('ol.log').text()).toMatch('Read efs'));
    runs.takeLine('r1', { seq: 2, at: 0, level: 'error', text: 'the cable is out' });
    await flushPromises();
    expect(shown.findAll('ol.log li').at(-1)!.classes()).toContain('error');
    expect(shown.text()).toMatch(/160 B of 400 B · 40 B\/s\s*now/);
    expect(button(shown, 'Cancel this run').exists()).toBe(true);
  });

  it('say so when there are none, or not that one', async () => {
    useRuns().loaded = true;
    expect((await show(RunsView, {}, '/runs')).text()).toMatch(/Nothing has been run yet/);
    expect((await show(RunsView, { id: 'zz' }, '/runs/zz')).text()).toMatch(/There is no such run/);
  });
});

describe('Practice bench', () => {
  const practice = {
    phones: [
      {
        serial,
        maker: 'Tidewell',
        model: 'Knot 3',
        adb: '127.0.0.1:5555',
        fastboot: '127.0.0.1:5556',
        loader: undefined,
        power: true,
        mode: undefined,
        modes: ['system', 'recovery', 'bootloader'],
        phase: 'looping',
        reason: 'boot cannot be loaded',
        cable: true,
        battery: { percent: 82, charging: true, chargesOnCable: true },
        hasImei: undefined,
        build: undefined,
        faults: [],
        partitions: ['boot', 'system'],
      },
    ],
    goodBuilds: [{ id: 'good', models: ['Knot 3'], title: 'March', sentence: 'starts' }],
    brokenBuilds: [{ id: 'bad', models: ['Knot 3'], title: 'Half a firmware', sentence: 'loops' }],
  };

  it('does what hands do', async () => {
    const asked = answering({ 'GET /practice': practice, [`POST /practice/${serial}`]: practice.phones[0] });
    const shown = await show(PracticeBench);
    expect(shown.text()).toMatch(/restarting over and over.*Why: boot cannot be loaded/s);
    for (const [text, action] of [
      ['Half a firmware', { do: 'break', build: 'bad' }],
      ['March', { do: 'install', build: 'good' }],
      ['Keys for recovery', { do: 'keys', into: 'recovery' }],
      ['Bad cable', { do: 'fault', fault: 'flaky-cable', partition: 'system' }],
      ['Switch off', { do: 'power', on: false }],
      ['A day in the field', { do: 'use' }],
      ['Many apps', { do: 'fill' }],
      ['Other users', { do: 'share' }],
      ['Pull it after 24 MiB more', { do: 'pull-after', bytes: 24 << 20 }],
    ] as const) {
      await button(shown, text).trigger('click');
      await flushPromises();
      expect(last(asked, 'POST', `/practice/${serial}`)?.body).toEqual(action);
    }
  });

  it('says when the simulated phones are gone', async () => {
    answering({ 'GET /practice': new Error('The simulated phones do not answer.') });
    expect((await show(PracticeBench)).text()).toMatch(/The simulated phones do not answer/);
  });
});
