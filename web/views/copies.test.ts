// @vitest-environment happy-dom
// Copies of apps and records: all of them, one of them, and those that come as files; trackers in their code.
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it, vi } from 'vitest';
import type { CarryAlongOffer, CopyView, RecordsView } from '@keen-larder/contract/copies.ts';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingAppsRequest } from '@keen-larder/contract/requests/imports.ts';
import { importingAppsSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { copiedApp } from '@keen-larder/core/testing/apps.ts';
import CodeFindings from '../tray/apps/CodeFindings.vue';
import CopyList from '../tray/apps/CopyList.vue';
import PermissionKinds from '../tray/apps/PermissionKinds.vue';
import TrackerDialog from '../tray/apps/known/TrackerDialog.vue';
import { useBench } from '../state/bench.ts';
import { useCopies } from '../state/larder/copies.ts';
import { useImports } from '../state/imports.ts';
import {
  button,
  last,
  onEmptyStage,
  answering,
  MiB,
  phone,
  run,
  serial,
  show,
  eventually,
} from '../testing/stage.ts';
import CarryTray from '../tray/apps/CarryTray.vue';
import CopyTray from '../tray/apps/CopyTray.vue';
import ImportAppsTray from '../tray/files/ImportAppsTray.vue';
import CopiesPage from './larder/CopiesPage.vue';
import ImportPage from './larder/ImportPage.vue';

onEmptyStage();

const common = {
  serial,
  nickname: 'Ringing hut',
  createdAt: Date.UTC(2026, 10, 20),
  note: '',
  bytes: 3 * MiB,
  addedBytes: MiB,
  origin: 'phone',
  binnedAt: undefined,
  by: undefined,
} as const;
const part = <Kind extends string>(name: string, kind: Kind, damage?: string) => ({
  name,
  kind,
  bytes: MiB,
  sha256: 'ab'.repeat(32),
  damage,
});
const copy = (over: Partial<CopyView> = {}): CopyView => ({
  ...common,
  id: 'c1',
  app: copiedApp('example.tidebook'),
  parts: [part('base.apk', 'program' as const), part('data.tar', 'data' as const)],
  ...over,
});
const records = (over: Partial<RecordsView> = {}): RecordsView => ({
  ...common,
  id: 'r1',
  createdAt: Date.UTC(2026, 10, 21),
  records: { kind: 'contacts', count: 7, files: [] },
  parts: [part('contacts.vcf', 'readable' as const)],
  ...over,
});

describe('copies that are carried along', () => {
  const sheet = (
    checks: CarryAlongOffer['checks'] = [],
    offered: CarryAlongOffer['offered'] = [],
  ): CarryAlongOffer => ({
    ...{ model: 'Knot 3', sdk: 28, bytes: 3 * MiB, apps: 2, withProgram: 1, checks, offered },
  });

  it('are told as an archive, which is downloaded', async () => {
    answering({ 'GET /carry-along?copies=c1,c2': sheet() });
    const shown = await show(CarryTray, { ids: ['c1', 'c2'], records: [] });
    await eventually(() => expect(shown.text()).toMatch(/One archive for any Knot 3/));
    expect(shown.text()).toMatch(/2\s*apps\s*1\s*with the program\s*3 MiB/);
    expect(shown.find('a.go').attributes('href')).toBe('/api/carry-along/archive?copies=c1,c2');
    expect(shown.find('p a[download]').attributes('href')).toBe('/api/platform-backup?copies=c1,c2');
  });

  it('take records along that are picked and may travel; the newest of the others are offered', async () => {
    const createdAt = Date.UTC(2026, 10, 21);
    const of = (id: string, kind: 'contacts' | 'accounts' | 'words', whyNot?: string) => ({
      ...{ id, kind, createdAt, count: 7, bytes: MiB, whyNot, nickname: 'North hide' },
    });
    const offered = [
      of('r1', 'contacts'),
      of('r2', 'accounts', 'Tokens are issued to one phone.'),
      of('r3', 'words'),
    ];
    const note: CarryAlongOffer['checks'][number] = {
      ...({ id: 'data-replaced', severity: 'note' } as const),
      title: 'Records take the place of the phone’s own',
      sentence: 'Contacts: what the phone has of them goes.',
    };
    answering({
      'GET /carry-along?copies=c1&records=r1,r2': sheet([note], offered),
      'GET /carry-along?copies=c1': sheet([], offered),
    });
    const shown = await show(CarryTray, { ids: ['c1'], records: ['r1', 'r2'] });
    await eventually(() => expect(shown.text()).toMatch(/Contacts\s*· 7 of North hide, kept/));
    expect(shown.text()).toMatch(/Accounts\s*· Tokens are issued to one phone\./);
    expect(shown.text()).toMatch(/what the phone has of them goes/);
    const boxes = shown.findAll<HTMLInputElement>('input[type=checkbox]');
    expect(boxes.map(({ element }) => [element.checked, element.disabled])).toEqual([
      [true, false],
      [false, true],
      [false, false],
    ]);
    expect(shown.find('a.go').attributes('href')).toBe('/api/carry-along/archive?copies=c1&records=r1');
    // A system takes apps alone as a backup of its own.
    expect(shown.find('p a[download]').exists()).toBe(false);
    await boxes[2]!.setValue(true);
    expect(shown.emitted('toggle')).toEqual([['r3']]);
    await shown.setProps({ records: [] });
    await eventually(() =>
      expect(shown.find('a.go').attributes('href')).toBe('/api/carry-along/archive?copies=c1'),
    );
  });

  it('of several models go as a backup of the platform’s own alone', async () => {
    const why = { id: 'wrong-model', severity: 'stop', title: 'Several', sentence: 'One model.' } as const;
    answering({ 'GET /carry-along?copies=c1,c2': sheet([why]) });
    const shown = await show(CarryTray, { ids: ['c1', 'c2'], records: [] });
    await eventually(() => expect(shown.text()).toMatch(/One model\./));
    expect(shown.find('a.go').exists()).toBe(false);
    expect(shown.find('a[download]').attributes('href')).toBe('/api/platform-backup?copies=c1,c2');
  });

  it('are not downloaded where something stops them, or nobody knows', async () => {
    const why = { id: 'two-for-one', severity: 'stop', title: 'Two copies', sentence: 'Pick one.' } as const;
    answering({ 'GET /carry-along?copies=c1,c2': sheet([why]) });
    const shown = await show(CarryTray, { ids: ['c1', 'c2'], records: [] });
    await eventually(() => expect(shown.text()).toMatch(/Pick one\./));
    expect(shown.find('a[download]').exists()).toBe(false);
    answering({});
    await shown.setProps({ ids: ['c3'] });
    await eventually(() => expect(shown.find('[role=alert]').exists()).toBe(true));
    expect(shown.find('a[download]').exists()).toBe(false);
  });
});

describe('all copies', () => {
  async function page(copies = [copy()], kept = [records()]) {
    const asked = answering({
      'GET /app-copies': copies,
      'GET /record-copies': kept,
      'POST /verifying-copies': run({ kind: 'verifying' }),
      'PATCH /app-copies/c1': copy({ binnedAt: 1 }),
      'PATCH /record-copies/r1': records({ binnedAt: 1 }),
    });
    const shown = await show(CopiesPage);
    await eventually(() => expect(shown.find('.sum').text()).toMatch(/cop/));
    await flushPromises();
    const names = () => shown.findAll('button.name strong').map((each) => each.text());
    return { shown, asked, names };
  }

  it('are listed with those of records, the newest first, and what the filter hides', async () => {
    const { shown, names } = await page([copy(), copy({ id: 'c2', nickname: 'North hide', serial: 'N-1' })]);
    expect(names()).toEqual(['Contacts', 'Tidebook', 'Tidebook']);
    expect(shown.find('.sum').text()).toMatch(/3 copies ·\s*9 MiB/);
    await shown.find('input[aria-label="Filter the copies"]').setValue('north tide');
    expect(names()).toEqual(['Tidebook']);
    expect(shown.find('.sum').text()).toMatch(/2 hidden by the filter/);
    await button(shown, /Show all/).trigger('click');
    expect(names()).toHaveLength(3);
  });

  it('say what is damaged, and where one came from', async () => {
    const damaged = [part('base.apk', 'program' as const, 'chunk 3 is not what it was')];
    const { shown } = await page([copy({ parts: damaged }), copy({ id: 'c2', origin: 'image' })]);
    expect(shown.find('.damaged').attributes('title')).toBe('chunk 3 is not what it was');
    expect(shown.text()).toMatch(/out of an image/);
  });

  it('are verified together, of both kinds', async () => {
    const { shown, asked } = await page();
    useCopies().draft.picked = ['c1', 'r1'];
    await flushPromises();
    await button(shown, /Verify/).trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', '/verifying-copies')?.body).toEqual({ apps: ['c1'], records: ['r1'] });
    expect(useCopies().draft.picked).toEqual([]);
  });

  it('go into the bin, each by its kind, and show there', async () => {
    const { shown, asked } = await page([copy(), copy({ id: 'c3', binnedAt: 5 })]);
    useCopies().draft.picked = ['c1', 'r1'];
    await flushPromises();
    await button(shown, /Put into the bin/).trigger('click');
    await flushPromises();
    for (const path of ['/app-copies/c1', '/record-copies/r1'])
      expect(last(asked, 'PATCH', path)?.body).toEqual({ binned: true });
    await button(shown, /Bin \(1\)/).trigger('click');
    expect(shown.find('.sum').text()).toMatch(/1 copy.*deleted for good 30 days after/s);
  });

  it('are said to be none, with where they come from', async () => {
    const { shown } = await page([], []);
    expect(shown.text()).toMatch(/No copy yet.*Apps and Records pages/s);
  });
});

describe('one copy in the tray', () => {
  const kept = (view: CopyView | RecordsView, kind: 'app' | 'records') => ({
    id: view.id,
    kind,
    title: 'Tidebook',
    detail: 'example.tidebook',
    version: '4.1',
    view,
    damage: [],
  });

  it('tells its parts, and keeps a note once the field is left', async () => {
    const asked = answering({ 'PATCH /app-copies/c1': copy() });
    const shown = await show(CopyTray, { copy: kept(copy(), 'app') });
    expect(shown.text()).toMatch(/base\.apk.*data\.tar/s);
    expect(shown.find('a.go').attributes('href')).toBe('/api/app-copies/c1/export');
    const field = shown.find('textarea');
    await field.setValue('before the new board');
    await field.trigger('blur');
    await flushPromises();
    expect(last(asked, 'PATCH', '/app-copies/c1')?.body).toEqual({ note: 'before the new board' });
  });

  it('of records hands out each file', async () => {
    const shown = await show(CopyTray, { copy: kept(records(), 'records') });
    expect(shown.find('li a').attributes('href')).toBe('/api/record-copies/r1/parts/contacts.vcf');
    expect(shown.text()).toMatch(/Count\s*7/);
    expect(shown.find('[href$="/export"]').exists()).toBe(false);
  });
});

describe('the copies of one app', () => {
  it('are told apart by time, version and note', async () => {
    const shown = await show(CopyList, {
      copies: [copy({ note: 'before the new board' }), copy({ id: 'c2' })],
    });
    const rows = shown.findAll('li').map((each) => each.text());
    expect(rows[0]).toMatch(/4\.1 · program and data.*before the new board/s);
    expect(rows[1]).not.toMatch(/board/);
    await shown.findAll('button')[1]!.trigger('click');
    expect(shown.emitted('bin')).toEqual([['c2']]);
  });
});

describe('what an app may do', () => {
  it('is told by kind, with how much of it is granted', async () => {
    const shown = await show(PermissionKinds, {
      permissions: [
        { name: 'android.permission.ACCESS_FINE_LOCATION', granted: true },
        { name: 'android.permission.ACCESS_COARSE_LOCATION', granted: false },
        { name: 'android.permission.INTERNET', granted: true },
      ],
    });
    const lines = shown.findAll('summary').map((each) => each.text());
    expect(lines[0]).toMatch(/Location.*1 of 2 granted.*Where the phone is/s);
    expect(lines[1]).toMatch(/Network.*granted.*Android does not ask the owner/s);
    expect((await show(PermissionKinds, { permissions: [] })).text()).toMatch(/asks for none/);
  });

  it('is looked for in its code when asked, and why not where that fails', async () => {
    const load = vi
      .fn()
      .mockRejectedValueOnce(new Error('Its code cannot be read.'))
      .mockResolvedValue({ classes: 9, trackers: [{ name: 'Gullcount', purpose: 'counts', classes: 1 }] });
    const shown = await show(CodeFindings, { subject: 'a', load });
    expect(load).not.toHaveBeenCalled();
    await button(shown, /Look into/).trigger('click');
    await flushPromises();
    expect(shown.find('[role=alert]').text()).toBe('Its code cannot be read.');
    await button(shown, /Look into/).trigger('click');
    await flushPromises();
    expect(shown.find('li').text()).toMatch(/Gullcount.*1 class.*counts/s);
    await shown.setProps({ subject: 'b' });
    expect(shown.find('li').exists()).toBe(false);
  });

  const known = [{ name: 'Gullcount', purpose: 'counts', prefixes: ['example.gullcount'] }];
  async function dialog() {
    const asked = answering({ 'GET /trackers': known, 'PUT /trackers': known });
    const shown = await show(TrackerDialog);
    await flushPromises();
    const inside = shown.findComponent({ name: 'ElDialog' });
    await eventually(() => expect(document.querySelectorAll('tbody tr')).toHaveLength(1));
    const click = async (text: string) => {
      [...document.querySelectorAll('button')].find((each) => each.textContent.trim() === text)!.click();
      await flushPromises();
    };
    return { shown, asked, inside, click };
  }

  it('depends on a list that is kept as a whole, without rows left empty', async () => {
    const { shown, asked, click } = await dialog();
    await click('Add one');
    await click('Keep the list');
    expect(last(asked, 'PUT', '/trackers')?.body).toEqual({ trackers: known });
    expect(shown.emitted('saved')).toHaveLength(1);
  });

  it.each([
    ['a list', '[{"name":"Wrackline","purpose":"","prefixes":["example.w"]}]', 2, undefined],
    [
      'one of a name that is there',
      '[{"name":"Gullcount","purpose":"","prefixes":["example.g"]}]',
      1,
      undefined,
    ],
    ['another JSON', '{"a":1}', 1, /is not a list of trackers/],
    ['no JSON', 'soup', 1, /is not a list of trackers/],
  ])('takes in a file with %s', async (_what, text, rows, complaint) => {
    await dialog();
    const input = document.querySelector<HTMLInputElement>('input[type=file]')!;
    Object.defineProperty(input, 'files', { value: [new File([text], 'list.json')] });
    input.dispatchEvent(new Event('change'));
    await eventually(() => expect(document.querySelectorAll('tbody tr')).toHaveLength(rows));
    await flushPromises();
    const alert = document.querySelector('[role=alert]')?.textContent;
    if (complaint)
      await eventually(() => expect(document.querySelector('[role=alert]')?.textContent).toMatch(complaint));
    else expect(alert).toBeUndefined();
  });
});

describe('copies that come as files', () => {
  const from = { serial: 'ELSEWHERE-1', maker: 'Marram', model: 'Sedge 10', nickname: 'Desk' };
  const planned = (over: Partial<ImportView['copies'][number]> = {}): ImportView['copies'][number] => ({
    path: 'x/base.apk',
    parts: [{ path: 'x/base.apk', name: 'base.apk', kind: 'program', bytes: MiB }],
    app: copiedApp('example.tidebook'),
    ...over,
  });
  const alone = (path: string, over: Partial<ImportView['copies'][number]> = {}) => ({
    path,
    parts: [{ path, name: 'data.tar', kind: 'data' as const, bytes: MiB }],
    ...over,
  });
  const view = (copies: ImportView['copies'], images: ImportView['images'] = []): ImportView => ({
    id: 'came',
    isCopy: true,
    state: 'ready',
    bytes: MiB,
    images,
    copies,
    said: [],
    locked: [],
    suggested: undefined,
    fault: undefined,
  });
  const boot: ImportView['images'][number] = {
    paths: ['boot.img'],
    layers: ['raw'],
    bytes: MiB,
    kind: 'block',
    partition: 'boot',
    notes: [],
  };

  it('are picked where they can be kept, and asked about where they do not say what they are', async () => {
    const found = view([
      planned({ from, copiedAt: 1 }),
      planned({ path: 'bad.apk', fault: 'Its base is missing.' }),
      alone('data.tar'),
      alone('example.marshlog.tar', { guess: 'example.marshlog' }),
    ]);
    useImports().view = { folder: '/f', imports: [found] };
    answering({ 'GET /app-copies': [], 'GET /record-copies': [] });
    const shown = await show(ImportPage, { id: 'came' });
    expect(shown.text()).toMatch(/4 copies of apps, 1 MiB/);
    expect(shown.text()).toMatch(/Its base is missing/);
    expect(shown.find('[aria-label="App of data.tar"]').exists()).toBe(true);
    const draft = useImports().copiesDraft(found);
    expect(draft.picked).toEqual(['x/base.apk', 'example.marshlog.tar']);
    expect(draft).toMatchObject({ serial: 'ELSEWHERE-1', maker: 'Marram', nickname: 'Desk' });
  });

  it('beside images are taken in after a choice', async () => {
    const found = view([planned()], [boot]);
    useImports().view = { folder: '/f', imports: [found] };
    answering({ 'GET /app-copies': [], 'GET /record-copies': [] });
    const shown = await show(ImportPage, { id: 'came' });
    expect(shown.text()).toMatch(/1 image and a copy of an app/);
    expect(useImports().isForCopies(found)).toBe(false);
    await shown.find('input[value="copies"]').setValue(true);
    await flushPromises();
    expect(useImports().isForCopies(found)).toBe(true);
    expect(shown.find('.el-table').text()).toMatch(/Tidebook/);
  });

  it('begin with the phone that their description tells, also where it is not known', async () => {
    const asked = answering({
      'POST /imports/came/apps-sheet': ({ choices, serial: of }: ImportingAppsRequest) =>
        importingAppsSheet({
          copies: choices.map(() => planned({ from, copiedAt: 1 }) as never),
          unknown: [],
          serial: of,
          isListed: () => true,
          shelf: { freeBytes: 2 ** 40 },
          bytesPerSecond: MiB,
        }),
      'POST /imports/came/importing-apps': run({ kind: 'importing' }),
    });
    useBench().take(phone());
    const shown = await show(ImportAppsTray, { found: view([planned({ from, copiedAt: 1 })]) });
    const go = () => shown.find<HTMLButtonElement>('button.go');
    await eventually(() => expect(go().element.disabled).toBe(false));
    await go().trigger('click');
    await flushPromises();
    const { nickname, maker, model } = from;
    expect(last(asked, 'POST', '/imports/came/importing-apps')?.body).toEqual({
      choices: [{ path: 'x/base.apk' }],
      serial: 'ELSEWHERE-1',
      phone: { nickname, maker, model },
      confirmed: [],
    });
  });
});
