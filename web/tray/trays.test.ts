// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { beforeEach, describe, expect, it } from 'vitest';
import { defineComponent, h } from 'vue';
import { useBench } from '../state/bench.ts';
import { useLarder } from '../state/larder.ts';
import { useNotices } from '../state/notices/notices.ts';
import { useCopies } from '../state/larder/copies.ts';
import { usePicks } from '../state/picks.ts';
import { useMoving } from '../state/apps/moving.ts';
import { useRuns } from '../state/runs.ts';
import {
  onEmptyStage,
  answering,
  button,
  facts,
  image,
  MiB,
  partitions,
  phone,
  run,
  serial,
  set,
  sheets,
  show,
  type Asked,
  type Shown,
  eventually,
} from '../testing/stage.ts';
import ImagingTray from './ImagingTray.vue';
import RestoringTray from './restoring/RestoringTray.vue';
import RunTray from './RunTray.vue';
import { useInTray } from './in-tray.ts';
import OpenTray from './TheTray.vue';

/** As the workbench shows it. */
const TheTray = defineComponent(() => {
  const inTray = useInTray();
  return () => (inTray.isThere.value ? h(OpenTray, { inTray }) : null);
});

onEmptyStage();
beforeEach(() => {
  const bench = useBench();
  bench.take(phone());
  bench.partitions = { [serial]: [...partitions] };
});

const check = (shown: Shown, id: string) => shown.find(`[data-check="${id}"]`);
const go = (shown: Shown) => shown.find<HTMLButtonElement>('button.go');
const pressed = (key: string, ctrlKey = false) =>
  document.dispatchEvent(new KeyboardEvent('keydown', { key, ctrlKey, bubbles: true }));
const last = (asked: readonly Asked[], path: string) => asked.filter((each) => each.path === path).at(-1);

describe('the tray of imaging', () => {
  const sheetPath = `/phones/${serial}/imaging-sheet`;
  const startPath = `/phones/${serial}/imaging`;

  async function imaging(over: Parameters<typeof sheets.imaging>[0] = {}, picked: string[] = []) {
    const asked = answering({
      [`POST ${sheetPath}`]: sheets.imaging(over),
      [`POST ${startPath}`]: run(),
      [`POST /phones/${serial}/restart`]: phone({ presence: 'restarting' }),
    });
    usePicks().forPhone(serial).picked = picked;
    const shown = await show(ImagingTray, { phone: phone(over.facts && { facts: over.facts }) });
    await eventually(() => expect(shown.findAll('[data-check]').length).toBeGreaterThan(0));
    return { shown, asked, picks: usePicks().forPhone(serial) };
  }

  it('says what to do while nothing is picked, and cannot start', async () => {
    const { shown } = await imaging();
    expect(check(shown, 'nothing-picked').text()).toMatch(/Pick the partitions to keep/);
    expect(check(shown, 'nothing-picked').classes()).toContain('note');
    expect(shown.findAll('[data-check]')).toHaveLength(1);
    expect(go(shown).element.disabled).toBe(true);
    expect(shown.text()).not.toMatch(/to read/);
  });

  it('offers to read again what was kept whole, and what would be asked of the phone first', async () => {
    const system = {
      ...partitions.find(({ name }) => name === 'system')!,
      kept: { setId: 's1', label: 'first', at: 1, bytes: 512 * MiB, sha256: 'ab', ranges: undefined },
    };
    useBench().partitions = { [serial]: [system, ...partitions.filter(({ name }) => name !== 'system')] };
    const { shown, asked, picks } = await imaging({}, ['system', 'boot']);
    expect(shown.text()).toMatch(
      /Read also what is unchanged\s*· 1 kept before: digested on the phone first/,
    );
    picks.readAll = true;
    await eventually(() => expect(last(asked, sheetPath)?.body).toMatchObject({ readAll: true }));
    // Of a part of it, or in another size, nothing can be told.
    useBench().partitions = { [serial]: [{ ...system, kept: { ...system.kept, bytes: MiB } }] };
    await flushPromises();
    expect(shown.text()).not.toMatch(/Read also what is unchanged/);
  });

  it('composes the name from what is known of the phone', async () => {
    const { shown } = await imaging({}, ['boot']);
    const name = shown.find('textarea').element.value;
    expect(name).toMatch(/^Knot 3 Ringing hut · rooted 9 · before flash · \d+ \w{3} \d{4}$/);
  });

  it('shows sizes and time, and follows what is picked', async () => {
    const { shown, picks } = await imaging({}, ['boot', 'efs', 'persist']);
    expect(shown.text()).toMatch(/80 MiB\s*to read/);
    expect(shown.text()).toMatch(/≈ 2 s\s*at 37 MiB\/s/);
    usePicks().toggle(picks, 'system');
    await eventually(() => expect(shown.text()).toMatch(/592 MiB\s*to read/));
    expect(shown.find('h2').text()).toBe('Tray · keep 4 images');
  });

  it('wants a tick for a confirmation, which a new pick takes back', async () => {
    const { shown, picks } = await imaging({}, ['boot']);
    expect(check(shown, 'identity-left-out').text()).toMatch(/persist is not in the larder yet/);
    expect(go(shown).element.disabled).toBe(true);
    await check(shown, 'identity-left-out').find('input[type=checkbox]').setValue(true);
    expect(go(shown).element.disabled).toBe(false);
    usePicks().toggle(picks, 'system');
    await flushPromises();
    expect(picks.confirmed).toEqual([]);
    expect(go(shown).element.disabled).toBe(true);
  });

  it('mends by picking, leaving out and renaming', async () => {
    const { shown, picks } = await imaging({ labels: ['mine'] }, ['boot', 'cache']);
    await check(shown, 'identity-left-out').find('button').trigger('click');
    expect(picks.picked).toEqual(['boot', 'cache', 'efs', 'persist']);
    await eventually(() => expect(check(shown, 'identity-left-out').classes()).toContain('good'));
    await check(shown, 'scratch-picked').find('button').trigger('click');
    expect(picks.picked).toEqual(['boot', 'efs', 'persist']);
    await shown.find('textarea').setValue('mine');
    await eventually(() => expect(check(shown, 'name-taken').exists()).toBe(true));
    expect(check(shown, 'name-taken').classes()).toContain('stop');
    await check(shown, 'name-taken').find('button').trigger('click');
    expect(shown.find('textarea').element.value).toBe('mine (2)');
  });

  it('restarts the phone where that mends', async () => {
    const stock = { ...facts, mode: 'system' as const, root: false };
    const { shown, asked } = await imaging({ facts: stock }, ['boot']);
    expect(check(shown, 'mode-cannot-read').classes()).toContain('stop');
    await check(shown, 'mode-cannot-read').find('button').trigger('click');
    await flushPromises();
    expect(last(asked, `/phones/${serial}/restart`)?.body).toEqual({ into: 'recovery' });
  });

  it('starts with what is picked, named and ticked; Ctrl Enter does the same', async () => {
    const { shown, asked } = await imaging({}, ['boot', 'efs', 'persist']);
    await shown.find('textarea').setValue('  before the flood ');
    await eventually(() => expect(go(shown).element.disabled).toBe(false));
    pressed('Enter');
    await flushPromises();
    expect(last(asked, startPath)).toBeUndefined();
    // The sheet is just being computed anew for the name: the start waits for it.
    pressed('Enter', true);
    await eventually(() => expect(last(asked, startPath)).toBeDefined());
    expect(last(asked, startPath)?.body).toEqual({
      picked: ['boot', 'efs', 'persist'],
      confirmed: [],
      label: 'before the flood',
    });
    expect(useRuns().byId['r1']?.state).toBe('running');
  });

  it('starts nothing that the sheet stops which is just being computed anew', async () => {
    const { shown, asked } = await imaging({ labels: ['taken'] }, ['boot', 'efs', 'persist']);
    await shown.find('textarea').setValue('free');
    await eventually(() => expect(last(asked, sheetPath)?.body).toMatchObject({ label: 'free' }));
    await flushPromises();
    await shown.find('textarea').setValue('taken');
    expect(go(shown).element.disabled).toBe(false);
    pressed('Enter', true);
    await eventually(() => expect(shown.find('[data-check="name-taken"]').exists()).toBe(true));
    await flushPromises();
    expect(last(asked, startPath)).toBeUndefined();
    expect(go(shown).element.disabled).toBe(true);
  });

  it('says why it did not start', async () => {
    const { shown } = await imaging({}, ['boot', 'efs', 'persist']);
    answering({
      [`POST ${sheetPath}`]: sheets.imaging(),
      [`POST ${startPath}`]: new Error('Ringing hut has a run under way.'),
    });
    await eventually(() => expect(go(shown).element.disabled).toBe(false));
    await go(shown).trigger('click');
    await eventually(() =>
      expect(useNotices().list).toMatchObject([
        { kind: 'stop', message: 'Ringing hut has a run under way.' },
      ]),
    );
  });

  it('has nothing to offer while the phone is away', async () => {
    answering({});
    const shown = await show(ImagingTray, { phone: phone({ presence: 'away' }) });
    expect(shown.text()).toMatch(/Ringing hut does not answer/);
    expect(go(shown).exists()).toBe(false);
  });
});

describe('the tray of putting back', () => {
  async function restoring(over: Parameters<typeof sheets.restoring>[0] = {}, picked = ['boot', 'system']) {
    const asked = answering({
      'GET /sets/s1': over.set ?? set(),
      [`POST /phones/${serial}/restoring-sheet`]: sheets.restoring(over),
      [`POST /phones/${serial}/restoring`]: run({ kind: 'restoring' }),
      [`POST /phones/${serial}/restart`]: phone({ presence: 'restarting' }),
    });
    usePicks().forSet('s1').picked = picked;
    const shown = await show(RestoringTray, { setId: 's1' }, '/larder');
    await eventually(() => expect(shown.findAll('[data-check]').length).toBeGreaterThan(0));
    return { shown, asked, picks: usePicks().forSet('s1') };
  }

  it('is armed by the last four characters of the serial and by nothing else', async () => {
    const { shown, asked } = await restoring();
    const field = shown.find('input[aria-label="Last four characters of the serial"]');
    expect(go(shown).text()).toBe('Restore 2 partitions');
    for (const wrong of ['', '0000', '1048', '482']) {
      await field.setValue(wrong);
      expect(go(shown).element.disabled).toBe(true);
      pressed('Enter', true);
    }
    await flushPromises();
    expect(last(asked, `/phones/${serial}/restoring`)).toBeUndefined();
    await field.setValue('0482');
    expect(go(shown).element.disabled).toBe(false);
    await go(shown).trigger('click');
    await flushPromises();
    expect(last(asked, `/phones/${serial}/restoring`)?.body).toEqual({
      puts: ['boot', 'system'].map((partition) => ({ setId: 's1', partition })),
      restartAfter: true,
      keepFirst: true,
      confirmed: [],
      armedWith: '0482',
    });
    expect(usePicks().forSet('s1').armedWith).toBe('');
  });

  it('lists what is written, the boot image last', async () => {
    const { shown } = await restoring();
    expect(shown.findAll('ol.steps li code').map((each) => each.text())).toEqual(['system', 'boot']);
    expect(shown.text()).toMatch(/544 MiB\s*to write/);
  });

  it('shows no arming while a stop stands in the way', async () => {
    const low = { ...facts, battery: { percent: 30, charging: false } };
    const { shown } = await restoring({ facts: low });
    expect(check(shown, 'battery').classes()).toContain('stop');
    expect(shown.find('input[aria-label="Last four characters of the serial"]').exists()).toBe(false);
    expect(go(shown).element.disabled).toBe(true);
  });

  it('asks before user data is replaced', async () => {
    const whole = set({ images: [...set().images, image('userdata', 'user-data', 1400 * MiB)] });
    const { shown } = await restoring({ set: whole }, ['userdata']);
    expect(check(shown, 'will-wipe').text()).toMatch(/They were never kept/);
    await check(shown, 'will-wipe').find('input[type=checkbox]').setValue(true);
    expect(shown.find('input[aria-label="Last four characters of the serial"]').exists()).toBe(true);
  });

  it('picks by bundles, never what must not be written', async () => {
    const whole = set({ images: [...set().images, image('frp', 'other', 512 * 1024)] });
    const { shown, picks } = await restoring({ set: whole }, []);
    const bundle = (name: string) => shown.findAll('.bundles button').find((each) => each.text() === name)!;
    await bundle('Everything').trigger('click');
    expect(picks.picked).toEqual(['boot', 'system']);
    await bundle('Boot chain').trigger('click');
    expect(picks.picked).toEqual(['boot']);
    await bundle('None').trigger('click');
    expect(go(shown).text()).toBe('Restore');
  });

  it('offers the keys of a phone that does not start, and no run', async () => {
    useBench().take(phone({ presence: 'looping', facts: undefined }));
    answering({ 'GET /sets/s1': set() });
    const shown = await show(RestoringTray, { setId: 's1' }, '/larder');
    expect(shown.text()).toMatch(/Ringing hut does not start/);
    expect(shown.text()).toMatch(/Into recovery by hand: Hold Power and Volume up/);
    expect(go(shown).element.disabled).toBe(true);
  });

  it('takes single images of other sets along, and leaves them out again', async () => {
    const other = set({ id: 's2', label: 'As received', images: [image('efs', 'identity', 16 * MiB)] });
    const { shown, asked, picks } = await restoring({ others: [other] });
    picks.others = [{ setId: 's2', partition: 'efs' }];
    await eventually(() => expect(go(shown).text()).toBe('Restore 3 partitions'));
    await eventually(() =>
      expect(last(asked, `/phones/${serial}/restoring-sheet`)?.body).toMatchObject({
        puts: [
          { setId: 's1', partition: 'boot' },
          { setId: 's1', partition: 'system' },
          { setId: 's2', partition: 'efs' },
        ],
      }),
    );
    await shown.find('[aria-label="Leave out efs"]').trigger('click');
    await eventually(() => expect(go(shown).text()).toBe('Restore 2 partitions'));
    expect(picks.others).toEqual([]);
  });

  it('puts images of one slot into the other, which then starts', async () => {
    const slotted = set({
      images: [image('boot_a', 'boot-chain', 32 * MiB), image('modem', 'radio', 16 * MiB)],
    });
    const { shown, asked, picks } = await restoring({ set: slotted }, ['boot_a', 'modem']);
    expect(shown.find('[aria-label="Slot"]').exists()).toBe(true);
    picks.intoSlot = 'b';
    await eventually(() =>
      expect(last(asked, `/phones/${serial}/restoring-sheet`)?.body).toMatchObject({
        puts: [
          { setId: 's1', partition: 'boot_a', onto: 'boot_b' },
          { setId: 's1', partition: 'modem' },
        ],
        activate: 'b',
      }),
    );
    usePicks().leaveOut(picks, ['boot_b']);
    expect(picks.picked).toEqual(['modem']);
    // What is left knows no slots, so none is made the one that starts.
    await eventually(() =>
      expect(last(asked, `/phones/${serial}/restoring-sheet`)?.body).not.toHaveProperty('activate'),
    );
  });

  it('chooses the phone that the set was taken from, and lets one choose another', async () => {
    useBench().take(phone({ serial: 'AA-1', nickname: 'North hide' }));
    const { shown } = await restoring();
    expect(shown.find('h2').text()).toBe('Tray · put back onto Ringing hut');
    usePicks().forSet('s1').serial = 'AA-1';
    await flushPromises();
    expect(shown.find('h2').text()).toBe('Tray · put back onto North hide');
  });
});

describe('the tray of a run', () => {
  it('shows the present step, the whole, and what is left', async () => {
    answering({});
    const shown = await show(RunTray, { run: run() });
    expect(shown.find('[data-run]').attributes('data-state')).toBe('running');
    const [step, whole] = shown.findAll('[role=progressbar]');
    expect(step!.attributes()).toMatchObject({ 'aria-valuenow': '20', 'aria-label': 'Read boot' });
    expect(whole!.attributes('aria-valuenow')).toBe('40');
    expect(shown.text()).toMatch(/40 B\/s\s*now/);
    expect(shown.text()).toMatch(/≈ 6 s\s*left/);
    expect(shown.text()).toMatch(/1 of 2\s*steps done/);
  });

  it('cancels', async () => {
    const asked = answering({ 'POST /runs/r1/cancel': run({ state: 'cancelled' }) });
    const shown = await show(RunTray, { run: run() });
    await shown
      .findAll('button')
      .find((each) => each.text() === 'Cancel this run')!
      .trigger('click');
    await flushPromises();
    expect(last(asked, '/runs/r1/cancel')).toEqual({ method: 'POST', path: '/runs/r1/cancel', body: {} });
  });

  it('says what came of it and leads to the set', async () => {
    answering({});
    const done = run({ state: 'done', endedAt: Date.now(), setId: 's9', outcome: '2 images.' });
    const shown = await show(RunTray, { run: done });
    expect(shown.find('[role=status]').text()).toBe('2 images.');
    expect(shown.find('a[href="/larder/sets/s9"]').text()).toBe('Open the set');
    await shown.find('button').trigger('click');
    expect(shown.emitted('aside')).toHaveLength(1);
  });
});

describe('a run that copied apps', () => {
  it('leads on to one archive of what it took', async () => {
    const copy = (id: string, name: string, createdAt: number) => ({
      ...{ id, serial, nickname: 'Ringing hut', createdAt, binnedAt: undefined, note: '', parts: [] },
      app: { package: name, label: name, versionCode: 1 },
    });
    answering({
      'GET /app-copies': [
        copy('new', 'example.tidebook', 2000),
        copy('old', 'example.tidebook', 500),
        copy('other', 'example.marshlog', 2000),
      ],
      'GET /record-copies': [],
    });
    const step = { text: 'Copy', partition: undefined, bytes: 1, doneBytes: 1, result: undefined };
    const shown = await show(RunTray, {
      run: run({
        ...{ kind: 'copying', state: 'incomplete', startedAt: 1000, endedAt: 3000 },
        steps: [
          { ...step, app: 'example.tidebook', state: 'done' },
          { ...step, app: 'example.marshlog', state: 'failed' },
        ],
      }),
    });
    await button(shown, 'Carry them along…').trigger('click');
    await eventually(() => expect(useCopies().pickedApps).toEqual(['new']));
  });
});

describe('which tray is shown', () => {
  const there = () =>
    answering({
      [`POST /phones/${serial}/imaging-sheet`]: sheets.imaging(),
      [`POST /phones/${serial}/restoring-sheet`]: sheets.restoring(),
      'GET /sets/s1': set(),
    });

  it('follows the middle: a phone, a set, or nothing', async () => {
    there();
    expect((await show(TheTray, {}, `/bench/${serial}`)).find('textarea').exists()).toBe(true);
    expect((await show(TheTray, {}, '/larder?set=s1')).text()).toMatch(/put back onto Ringing hut/);
    expect((await show(TheTray, {}, '/larder/sets/s1')).text()).toMatch(/0 of 2 images picked/);
    expect((await show(TheTray, {}, '/larder')).text()).toMatch(/Select a set/);
    expect((await show(TheTray, {}, '/larder/import')).text()).toMatch(/Choose what was taken in/);
    for (const path of ['/runs', '/people', '/jobs', '/bench', '/larder/find', '/practice'])
      expect([path, (await show(TheTray, {}, path)).html()]).toEqual([path, '']);
  });

  it('is the run’s while one is under way, and stays after its end until it is put aside', async () => {
    there();
    useLarder();
    const runs = useRuns();
    const shown = await show(TheTray, {}, `/bench/${serial}`);
    runs.take(run());
    await flushPromises();
    expect(shown.find('[data-run]').attributes('data-state')).toBe('running');
    expect(runs.inTray).toBe('r1');
    runs.take(run({ state: 'failed', endedAt: Date.now(), outcome: 'Check the cable.' }));
    await flushPromises();
    expect(shown.find('[data-run]').attributes('data-state')).toBe('failed');
    await shown.find('button').trigger('click');
    expect(shown.find('[data-run]').exists()).toBe(false);
    expect(shown.find('textarea').exists()).toBe(true);
  });

  it('follows a move from the phone that is left to the one that is reached', async () => {
    there();
    useMoving().draft(serial).to = 'MS10-70055';
    const runs = useRuns();
    const shown = await show(TheTray, {}, `/bench/${serial}/move`);
    runs.take(run({ kind: 'copying', title: 'Move: copy' }));
    const then = {
      id: 'r2',
      kind: 'putting-apps',
      serial: 'MS10-70055',
      title: 'Move: put in place',
    } as const;
    runs.take(run({ ...then, state: 'waiting', waitingFor: 'Waiting for the copies from Ringing hut.' }));
    await flushPromises();
    expect(shown.find('[data-run]').text()).toBe('Move: copy');
    runs.take(run({ kind: 'copying', state: 'done', endedAt: Date.now() }));
    await flushPromises();
    expect(shown.find('[data-run]').text()).toBe('Move: put in place');
    runs.take(run({ ...then, state: 'done', endedAt: Date.now(), outcome: 'In place and proved.' }));
    await flushPromises();
    expect(shown.find('.outcome').text()).toBe('In place and proved.');
  });
});
