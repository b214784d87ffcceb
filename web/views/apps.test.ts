// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it } from 'vitest';
import { copyingSheet, puttingAppsSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { appFacts, listedApp } from '@keen-larder/core/testing/apps.ts';
import { useApps } from '../state/apps.ts';
import { useBench } from '../state/bench.ts';
import { useMoving } from '../state/apps/moving.ts';
import { useRecords } from '../state/records.ts';
import { useRuns } from '../state/runs.ts';
import {
  onEmptyStage,
  answering,
  button,
  facts,
  last,
  phone,
  run,
  serial,
  show,
  eventually,
} from '../testing/stage.ts';
import AppTray from '../tray/apps/AppTray.vue';
import PurposeDialog from '../tray/apps/known/PurposeDialog.vue';
import MovingTray from '../tray/apps/MovingTray.vue';
import PickedAppsTray from '../tray/apps/PickedAppsTray.vue';
import RecordsTray from '../tray/RecordsTray.vue';
import CopyRoutineLine from './bench/apps/CopyRoutineLine.vue';
import PhoneApps from './bench/apps/PhoneApps.vue';
import PhoneMove from './bench/apps/PhoneMove.vue';
import PhoneRecords from './bench/PhoneRecords.vue';
import BatchTable from './runs/BatchTable.vue';

onEmptyStage();

const running = phone({ facts: { ...facts, mode: 'system' } });
const camera = { name: 'android.permission.CAMERA', granted: true };
const list = [
  listedApp('tidebook', {
    isRunning: true,
    permissions: [camera, { ...camera, name: 'example.own', granted: false }],
  }),
  listedApp('marshlog', { dataBytes: 9 << 20 }),
  listedApp('ferrytimes', { isBuiltIn: true, label: 'Ferry Times', hasIcon: false, dataBytes: undefined }),
];

describe('copying by routine', () => {
  it('is turned on and off, and says what came of it', async () => {
    const path = `/phones/${serial}/copy-routine`;
    const asked = answering({
      [`GET ${path}`]: { isOn: false },
      [`PUT ${path}`]: { isOn: true, at: Date.now(), said: 'Nothing changed: 3 apps as kept.' },
    });
    const shown = await show(CopyRoutineLine, { serial, version: 1 });
    await eventually(() => expect(shown.text()).toMatch(/Copy what changed by itself, once a day/));
    expect(shown.find('.said').exists()).toBe(false);
    await shown.find('input').setValue(true);
    await eventually(() =>
      expect(shown.find('.said').text()).toMatch(/now|second|minute.*: Nothing changed/s),
    );
    expect(asked.at(-1)).toEqual({ method: 'PUT', path, body: { isOn: true } });
  });
});

it('what is off on another phone of the model is picked here by one click', async () => {
  const off = (name: string, how: string) => ({ package: `example.${name}`, label: name, how });
  answering({
    [`GET /phones/${serial}/apps`]: list,
    [`GET /phones/${serial}/turned-off-elsewhere`]: [
      {
        ...{ serial: 'TW3K-10517', nickname: 'East wall', at: Date.now() - 86_400_000 },
        apps: [off('ferrytimes', 'disabled'), off('marshlog', 'removed'), off('quince', 'disabled')],
      },
    ],
  });
  const shown = await show(PhoneApps, { phone: running });
  await eventually(() => expect(shown.find('.elsewhere').exists()).toBe(true));
  expect(shown.find('.elsewhere').text()).toMatch(
    /Turned off on other phones of this model · 1.*East wall.*3 apps.*not on this phone: quince/s,
  );
  const [disable, remove] = shown.findAll('.picks button');
  await disable!.trigger('click');
  expect(useApps().draft(serial)).toMatchObject({
    ...{ picked: ['example.ferrytimes'], doing: 'change', action: 'disable' },
  });
  await remove!.trigger('click');
  expect(useApps().draft(serial)).toMatchObject({ picked: ['example.marshlog'], action: 'remove' });
});

describe('what pre-installed apps are for', () => {
  const purpose = { kind: 'Put there by the seller', purpose: 'Timetables.', dependents: '' };
  const known = [{ pattern: 'example.ferry*', ...purpose, certainty: 'likely' }];

  it('is told in the tray, and makes plans that are picked by one click', async () => {
    answering({ [`GET /phones/${serial}/apps`]: list, 'GET /purposes': known });
    const shown = await show(PhoneApps, { phone: running });
    await eventually(() => expect(shown.find('.plans').text()).toMatch(/what they are for · 1/));
    expect(shown.find('.plans').text()).toMatch(
      /Put there by the seller.*Ferry Times: Timetables\. .*\(likely so\)/s,
    );
    await button(shown, 'Pick 1 app to disable').trigger('click');
    expect(useApps().draft(serial)).toMatchObject({
      ...{ picked: ['example.ferrytimes'], doing: 'change', action: 'disable' },
    });
    useApps().draft(serial).shown = 'example.ferrytimes';
    const tray = await show(AppTray, { phone: running });
    expect(tray.text()).toMatch(/For\s*Timetables\..*likely so/s);
  });

  it('is changed as a whole list, and taken in from a file', async () => {
    const asked = answering({ 'GET /purposes': known, 'PUT /purposes': known });
    const shown = await show(PurposeDialog);
    await eventually(() => expect(document.querySelectorAll('tbody tr')).toHaveLength(1));
    const input = document.querySelector<HTMLInputElement>('input[type=file]')!;
    const other = { ...known[0]!, pattern: 'example.tide.*', certainty: 'known' };
    Object.defineProperty(input, 'files', {
      value: [new File([JSON.stringify([{ ...known[0]!, kind: 'Adverts' }, other])], 'list.json')],
    });
    input.dispatchEvent(new Event('change'));
    await eventually(() => expect(document.querySelectorAll('tbody tr')).toHaveLength(2));
    [...document.querySelectorAll('button')]
      .find((each) => each.textContent.trim() === 'Keep the list')!
      .click();
    await eventually(() => expect(shown.emitted('saved')).toHaveLength(1));
    expect(last(asked, 'PUT', '/purposes')?.body).toEqual({
      purposes: [{ ...known[0]!, kind: 'Adverts' }, other],
    });
  });
});

describe('Whose apps are shown', () => {
  const owner = { id: 0, name: 'Owner', kind: 'owner', isOpen: true, isManaged: false, bans: [] };
  const work = { ...owner, id: 10, name: 'Harbour office', kind: 'work', isManaged: true };
  const banned = { ...work, bans: ['no_install_apps'] };
  const second = { ...owner, id: 11, name: 'Boat club', kind: 'second', isOpen: false };
  const path = `/phones/${serial}`;

  it('is not asked on a phone of its owner alone', async () => {
    answering({ [`GET ${path}/apps`]: list, [`GET ${path}/users`]: [owner] });
    const shown = await show(PhoneApps, { phone: running });
    await eventually(() => expect(shown.text()).toContain(list[0]!.label));
    expect(shown.text()).not.toContain('Whose');
  });

  it('is chosen above the list; what was picked was somebody else’s', async () => {
    const asked = answering({
      [`GET ${path}/apps`]: list,
      [`GET ${path}/users`]: [owner, banned, second],
      [`GET ${path}/apps?user=10`]: list.slice(0, 1),
      [`GET ${path}/apps?user=11`]: [],
      [`POST ${path}/users/11/start`]: [owner, banned, { ...second, isOpen: true }],
    });
    const shown = await show(PhoneApps, { phone: running });
    await eventually(() => expect(button(shown, /Harbour office/)).toBeDefined());
    const draft = useApps().draft(serial);
    draft.picked = [list[0]!.package];
    await button(shown, /Harbour office/).trigger('click');
    await eventually(() => expect(shown.text()).toMatch(/1 app ·/));
    expect(draft).toMatchObject({ user: 10, picked: [] });
    expect(shown.text()).toContain('The app that manages it forbids installing programs.');

    await button(shown, /Boat club/).trigger('click');
    await eventually(() =>
      expect(shown.text()).toMatch(/Boat club is locked: data of its apps is encrypted/),
    );
    await button(shown, 'Start it').trigger('click');
    await eventually(() => expect(last(asked, 'POST', `${path}/users/11/start`)).toBeDefined());
    await button(shown, 'Owner').trigger('click');
    await eventually(() => expect(draft.user).toBe(0));
  });
});

describe('Apps of a phone', () => {
  async function apps() {
    const asked = answering({ [`GET /phones/${serial}/apps`]: list });
    const shown = await show(PhoneApps, { phone: running });
    await eventually(() => expect(shown.findAll('button.name')).toHaveLength(3));
    const names = () => shown.findAll('button.name strong').map((each) => each.text());
    const choice = (text: RegExp) => shown.findAll('button.choice').find((each) => text.test(each.text()))!;
    return { shown, asked, names, choice };
  }

  it('are listed by name, with counts on every facet and what they hide', async () => {
    const { shown, names, choice } = await apps();
    expect(names()).toEqual(['Ferry Times', 'Marshlog', 'Tidebook']);
    expect(shown.text()).toMatch(/3 apps · programs\s*15 MiB · data\s*11 MiB/);
    expect(choice(/by the user/).text()).toMatch(/2$/);
    await choice(/pre-installed/).trigger('click');
    expect(names()).toEqual(['Ferry Times']);
    expect(choice(/pre-installed/).attributes('aria-pressed')).toBe('true');
    expect(shown.find('.sum').text()).toMatch(/2 hidden by search or facets/);
    await shown.findAll('.sum button')[0]!.trigger('click');
    expect(names()).toHaveLength(3);
  });

  it('are all shown again when the facets hide every one, as after a factory reset', async () => {
    const { shown, names, choice } = await apps();
    await choice(/by the user/).trigger('click');
    expect(names()).toHaveLength(2);
    answering({ [`GET /phones/${serial}/apps`]: [list[2]!] });
    await useApps().load(serial);
    await eventually(() => expect(names()).toEqual(['Ferry Times']));
    expect(shown.find('.sum').text()).toContain('facets taken off');
  });

  it('are searched, and keep the search while one looks elsewhere', async () => {
    const { shown, names } = await apps();
    await shown.find('input').setValue('marsh');
    expect(names()).toEqual(['Marshlog']);
    shown.unmount();
    const again = await show(PhoneApps, { phone: running });
    await eventually(() => expect(again.findAll('button.name')).toHaveLength(1));
    expect(again.find('.sum').text()).toMatch(/2 hidden/);
  });

  it('are told in the tray, with what each may do', async () => {
    const { shown } = await apps();
    await shown.findAll('button.name')[2]!.trigger('click');
    const tray = await show(AppTray, { phone: running });
    expect(tray.find('h2').text()).toBe('Tray · Tidebook');
    expect(tray.text()).toMatch(/CAMERA\s*granted/);
    expect(tray.text()).toMatch(/example\.own\s*not granted/);
    useApps().draft(serial).shown = 'example.ferrytimes';
    await flushPromises();
    expect(tray.text()).toMatch(/data: told only with root/);
    expect(tray.text()).toMatch(/pre-installed/);
  });

  it('say what to do where no system runs, and when the phone does not answer', async () => {
    const away = await show(PhoneApps, { phone: phone() });
    expect(away.text()).toMatch(/Ringing hut is not in system mode now.*Restart it into system/s);
    answering({ [`GET /phones/${serial}/apps`]: new Error('Ringing hut does not answer now.') });
    const refused = await show(PhoneApps, { phone: running });
    await eventually(() => expect(refused.find('[role=alert]').exists()).toBe(true));
  });
});

const copy = (name: string, createdAt: number) => ({
  id: `${name} ${createdAt}`,
  serial,
  nickname: 'Ringing hut',
  createdAt,
  note: '',
  app: { ...appFacts(name), sdk: 28 },
  parts: [
    { name: 'base.apk', kind: 'program', bytes: 5 << 20, sha256: 'ab', damage: undefined },
    { name: 'data.tar', kind: 'data', bytes: 2 << 20, sha256: 'cd', damage: undefined },
  ],
  bytes: 7 << 20,
  addedBytes: 1,
  origin: 'phone',
  binnedAt: undefined,
});

describe('Apps that are picked', () => {
  const there = listedApp(
    'tidebook',
    { isRunning: true },
    { copies: [copy('tidebook', 2000), copy('tidebook', 1000)] as never, change: 'changed' },
  );
  const gone = {
    ...listedApp('marshlog', {}, { copies: [copy('marshlog', 3000)] as never, change: 'as-kept' }),
    installed: undefined,
  };
  const started = { id: 'r1', steps: [] };
  interface Picks {
    apps?: { package: string; parts: string[] }[];
    copies?: { copyId: string; parts: string[] }[];
  }

  async function tray(picked: readonly string[]) {
    const putting = ({ copies }: Picks) =>
      puttingAppsSheet({
        phone: { ...facts, mode: 'system' },
        installed: [there.installed!],
        picked: copies!.map(({ copyId, parts }) => ({
          copy: [...there.copies, ...gone.copies]
            .map((each) => each as never as ReturnType<typeof copy>)
            .find(({ id }) => id === copyId)! as never,
          parts: parts as never,
        })),
        surroundings: { freeBytes: 1 << 30, sdk: 28 },
        bytesPerSecond: 1 << 20,
      });
    const asked = answering({
      [`GET /phones/${serial}/apps`]: [there, gone],
      [`POST /phones/${serial}/copying-sheet`]: ({ apps }: Picks) =>
        copyingSheet({
          phone: { ...facts, mode: 'system' },
          installed: [there.installed!],
          picked: apps as never,
          sdk: 28,
          shelf: { freeBytes: 1 << 30 },
          bytesPerSecond: 1 << 20,
        }),
      [`POST /phones/${serial}/putting-apps-sheet`]: putting,
      [`POST /phones/${serial}/putting-apps`]: started,
      [`POST /phones/${serial}/copying`]: started,
    });
    await useApps().load(serial);
    useApps().draft(serial).picked = [...picked];
    const sentTo = (path: string) =>
      asked.filter((each) => each.path === `/phones/${serial}/${path}`).map(({ body }) => body);
    return { shown: await show(PickedAppsTray, { phone: running }), sentTo };
  }

  it('are copied where they are on the phone; the others are said to be left out', async () => {
    const { shown, sentTo } = await tray(['example.tidebook', 'example.marshlog']);
    await eventually(() => expect(shown.find('[data-check="app-running"]').exists()).toBe(true));
    expect(shown.text()).toMatch(/1 of those picked\s+is\s+not on the phone, and left out/);
    const go = shown.find('button.go');
    expect(go.text()).toBe('Copy 1 app');
    await go.trigger('click');
    await flushPromises();
    expect(sentTo('copying')).toEqual([
      { apps: [{ package: 'example.tidebook', parts: ['program', 'data', 'device-data'] }], confirmed: [] },
    ]);
  });

  it('go back from the copy that is chosen, armed where data is replaced', async () => {
    const { shown, sentTo } = await tray(['example.tidebook', 'example.marshlog']);
    const draft = useApps().draft(serial);
    draft.doing = 'put-back';
    draft.copyOf = { 'example.tidebook': 'tidebook 1000' };
    await eventually(() => expect(shown.find('[data-check="data-replaced"]').exists()).toBe(true));
    const go = shown.find('button.go');
    expect([go.text(), go.attributes('disabled')]).toEqual(['Put back 2 apps', '']);
    draft.armedWith = serial.slice(-4);
    await flushPromises();
    await go.trigger('click');
    await flushPromises();
    const [sent] = sentTo('putting-apps') as [Picks];
    expect(sent.copies!.map(({ copyId }) => copyId)).toEqual(['tidebook 1000', 'marshlog 3000']);
    expect(draft.picked).toEqual([]);
  });

  it('may go back with another choice of parts for single ones', async () => {
    const { shown, sentTo } = await tray(['example.tidebook', 'example.marshlog']);
    const draft = useApps().draft(serial);
    Object.assign(draft, { doing: 'put-back', what: 'program' });
    await flushPromises();
    expect(shown.find('.what').exists()).toBe(false);
    const choice = shown.findAll('label.el-checkbox').find((each) => /single apps/.test(each.text()))!;
    await choice.find('input').setValue(true);
    await flushPromises();
    expect(shown.findAll('.what')).toHaveLength(2);
    draft.whatOf = { 'example.marshlog': 'both' };
    await eventually(() =>
      expect((sentTo('putting-apps-sheet').at(-1) as Picks).copies!.map(({ parts }) => parts)).toEqual([
        ['program'],
        ['program', 'data', 'device-data'],
      ]),
    );
    await choice.find('input').setValue(false);
    expect(draft.whatOf).toBeUndefined();
  });
});

describe('Moving apps', () => {
  it('says of each what will go, and what cannot and why; what cannot is not picked', async () => {
    const other = phone({
      serial: 'MS10-70055',
      nickname: 'Visitor desk',
      facts: { ...facts, serial: 'MS10-70055', mode: 'system' },
    });
    useBench().take(other);
    const app = { versionName: '4.1', versionCode: 41, dataBytes: 2048, there: undefined };
    const stop = { id: 'wrong-processor', severity: 'stop', sentence: 'Ringcode: no native code.' };
    answering({
      [`GET /phones/${serial}/moving/MS10-70055`]: {
        from: serial,
        to: 'MS10-70055',
        apps: [
          { ...app, package: 'example.tidebook', label: 'Tidebook', findings: [] },
          { ...app, package: 'example.ringcode', label: 'Ringcode', findings: [stop] },
        ],
      },
    });
    useMoving().draft(serial).to = 'MS10-70055';
    const shown = await show(PhoneMove, { phone: running });
    await eventually(() => expect(shown.findAll('tbody tr')).toHaveLength(2));
    const [tidebook, ringcode] = shown.findAll('tbody tr');
    expect(tidebook!.text()).toMatch(/Goes\s*not installed/);
    expect(ringcode!.text()).toMatch(/Cannot go.*no native code/s);
    expect(ringcode!.find('input').attributes('disabled')).toBeDefined();
    await shown
      .findAll('button')
      .find((each) => /Pick all 1 that can go/.test(each.text()))!
      .trigger('click');
    expect(useMoving().draft(serial).picked).toEqual(['example.tidebook']);
    const tray = await show(MovingTray, { phone: running });
    expect(tray.find('h2').text()).toBe('Tray · move 1 app to Visitor desk');
  });
});

describe('A phone whose system does not run', () => {
  it('is restarted by hand, but not while a run is at work that restarts it', async () => {
    const shown = await show(PhoneRecords, { phone: phone() });
    expect(shown.text()).toMatch(/not in system mode now\. Restart it into system, above/);
    useRuns().take(run({ title: 'Move 2 apps' }));
    await flushPromises();
    expect(shown.text()).toMatch(/A run is at work on Ringing hut/);
    expect(shown.text()).toMatch(/Move 2 apps\. It restarts the phone by itself/);
    expect(shown.text()).not.toMatch(/Restart it into/);
  });
});

describe('Personal records', () => {
  const record = { files: ['/a'], bytes: 2048, count: 7, fault: undefined, copies: [] };

  it('are listed with their number, their size and how far they may travel', async () => {
    answering({
      [`GET /phones/${serial}/records`]: [
        { ...record, kind: 'contacts' },
        { ...record, kind: 'wallpaper', count: undefined },
        { ...record, kind: 'words', files: [], bytes: 0, count: 0 },
      ],
    });
    const shown = await show(PhoneRecords, { phone: running });
    await eventually(() => expect(shown.findAll('tbody tr')).toHaveLength(3));
    const rows = shown.findAll('tbody tr').map((row) => row.text());
    expect(rows[0]).toMatch(/Contacts.*7.*2 KiB.*this Android version.*never/s);
    expect(rows[1]).toMatch(/Wallpaper.*–.*any phone/s);
    expect(rows[2]).toMatch(/Keyboard words.*none/s);
    useRecords().draft(serial).picked = ['contacts', 'words'];
    const tray = await show(RecordsTray, { phone: running });
    expect(tray.text()).toMatch(/1 of those picked\s+the phone has none of/);
    expect(tray.find('button.go').text()).toBe('Keep 1 kind of records');
  });

  it('of another phone are behind a choice that names it', async () => {
    const copy = (id: string, from: string, nickname: string) => ({
      ...{ id, serial: from, nickname, createdAt: 1, note: '', parts: [], bytes: 1, addedBytes: 1 },
      records: { kind: 'contacts', count: 3 },
    });
    const copies = [copy('newest', 'TW3K-10517', 'East wall'), copy('own', serial, 'Ringing hut')];
    answering({ [`GET /phones/${serial}/records`]: [{ ...record, kind: 'contacts', copies }] });
    const shown = await show(PhoneRecords, { phone: running });
    const store = useRecords();
    await eventually(() => expect(store.lists[serial]).toHaveLength(1));
    const [row] = store.lists[serial]!;
    expect(store.copyOf(serial, row!)?.id).toBe('own');
    expect(shown.find('tbody').text()).not.toMatch('East wall');
    store.draft(serial).from = 'TW3K-10517';
    await flushPromises();
    expect(store.copyOf(serial, row!)?.id).toBe('newest');
    expect(shown.find('tbody').text()).toMatch('East wall');
  });

  it('without root are what content providers tell, and what that lacks', async () => {
    const missing = 'MMS with their pictures, and drafts';
    answering({
      [`GET /phones/${serial}/records`]: [
        { ...record, kind: 'messages', files: [], missing },
        { ...record, kind: 'contacts', files: [], count: undefined, fault: 'The phone does not tell them.' },
      ],
    });
    const shown = await show(PhoneRecords, {
      phone: phone({ facts: { ...facts, mode: 'system', root: false } }),
    });
    await eventually(() => expect(shown.findAll('tbody tr')).toHaveLength(2));
    expect(shown.text()).toMatch(/gives no root.*once somebody accepts them/s);
    const rows = shown.findAll('tbody tr').map((row) => row.text());
    expect(rows[0]).toMatch(/Messages.*without MMS.*7/s);
    expect(rows[1]).toMatch(/does not tell them.*–/s);
  });
});

describe('The end of a batch', () => {
  it('is a table of what was done, what was not and why, and what was not come to', async () => {
    const step = { partition: undefined, bytes: 1, doneBytes: 1 };
    const shown = await show(BatchTable, {
      run: run({
        state: 'interrupted',
        steps: [
          {
            ...step,
            app: 'example.a',
            text: 'Copy A',
            state: 'done',
            result: '5 MiB, as the phone digests it',
          },
          {
            ...step,
            app: 'example.b',
            text: 'Copy B',
            state: 'failed',
            result: 'It is not on the phone any more.',
          },
          { ...step, app: 'example.c', text: 'Copy C', state: 'waiting', result: undefined },
        ],
      }),
    });
    expect(shown.findAll('tbody tr').map((row) => row.text().replace(/\s+/g, ' '))).toEqual(
      [
        'Copy A done5 MiB, as the phone digests it',
        'Copy B not doneIt is not on the phone any more.',
        'Copy C not come to',
      ].map((text) => expect.stringMatching(new RegExp(text.replace(/ (done|not)/, ' ?$1')))),
    );
  });
});
