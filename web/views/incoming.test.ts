// @vitest-environment happy-dom
// What comes in: ways to phones, files to import and what is made of them.
import { flushPromises } from '@vue/test-utils';
import { describe, expect, it, vi } from 'vitest';
import type { ConnectionsView, ConnectionView } from '@keen-larder/contract/connections.ts';
import type { ImportsView, ImportView } from '@keen-larder/contract/imports.ts';
import type { ImportingRequest } from '@keen-larder/contract/requests/imports.ts';
import { ownerOfFirmware } from '@keen-larder/core/larder/firmware.ts';
import { importingSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { useBench } from '../state/bench.ts';
import { useConnections } from '../state/connections.ts';
import { useImports } from '../state/imports.ts';
import {
  button,
  last,
  onEmptyStage,
  answering,
  MiB,
  partition,
  phone,
  run,
  serial,
  show,
  type Shown,
  eventually,
} from '../testing/stage.ts';
import ImportTray from '../tray/files/ImportTray.vue';
import BenchView from './bench/BenchView.vue';
import ConnectionsPage from './connections/ConnectionsPage.vue';
import PartitionTable from './bench/storage/PartitionTable.vue';
import ImportPage from './larder/ImportPage.vue';

onEmptyStage();

describe('Connections', () => {
  const fingerprint = 'AA:BB:CC';
  const way = (over: Partial<ConnectionView>): ConnectionView => ({
    address: '127.0.0.1:5555',
    origin: 'added',
    state: 'connected',
    serial: undefined,
    ...over,
  });
  const view = (connections: ConnectionView[]): ConnectionsView => ({
    connections,
    fingerprint,
    adbServer: { port: 5037, state: 'missing' },
    usb: { state: 'followed', why: undefined, rules: 'missing', lastSeen: undefined },
    wireless: undefined,
  });

  it('put what waits for hands first, with what to do', async () => {
    useConnections().view = view([
      way({ address: 'a:1', state: 'connected' }),
      way({ address: 'b:2', state: 'asks' }),
    ]);
    const shown = await show(ConnectionsPage);
    const rows = shown.findAll('section[aria-labelledby=ways] li');
    expect(rows.map((row) => row.find('code').text())).toEqual(['b:2', 'a:1']);
    expect(rows[0]!.text()).toMatch(/has not allowed this computer yet.*AA:BB:CC.*tap Allow/s);
    expect(rows[0]!.classes()).toContain('waits');
    expect(shown.text()).toMatch(
      /Install the rule.*cp packaging.*adb server.*5037.*does not run.*adb start-server.*Nothing was plugged in/s,
    );
  });

  it('follow an address, forget it, and say why one cannot be followed', async () => {
    const asked = answering({
      'POST /connections': (body: { address: string }) =>
        body.address === 'nonsense' ? new Error('“nonsense” is not an address.') : view([]),
      'GET /connections': view([way({ address: 'c:3' })]),
      'DELETE /connections/c%3A3': view([]),
    });
    useConnections().view = view([]);
    const shown = await show(ConnectionsPage);
    expect(shown.text()).toMatch(/None is followed yet/);
    await shown.find('input').setValue('nonsense');
    await shown.find('form').trigger('submit');
    await flushPromises();
    expect(shown.find('[role=alert]').text()).toBe('“nonsense” is not an address.');
    await shown.find('input').setValue(' c:3 ');
    await shown.find('form').trigger('submit');
    await flushPromises();
    expect(last(asked, 'POST', '/connections')?.body).toEqual({ address: 'c:3' });
    expect(shown.find('[role=alert]').exists()).toBe(false);
    await button(shown, 'Forget it').trigger('click');
    await flushPromises();
    expect(last(asked, 'DELETE', '/connections/c%3A3')).toBeDefined();
  });

  it('pair with a phone that shows a code, and connect to one that was found', async () => {
    const running = {
      ...view([]),
      adbServer: { port: 5037, state: 'running' as const },
      wireless: [
        { name: 'one', kind: 'pairing' as const, address: '10.0.0.7:37123' },
        { name: 'two', kind: 'ready' as const, address: '10.0.0.8:40001' },
      ],
    };
    const asked = answering({
      'POST /connections/pairing': (body: { code: string }) =>
        body.code === '123456' ? running : new Error('The phone was not paired: “Failed”.'),
      'POST /connections/wireless': running,
      'GET /connections': running,
    });
    useConnections().view = running;
    const shown = await show(ConnectionsPage);
    await button(shown, 'Fill in').trigger('click');
    const code = shown.find('[aria-label="Pairing code"]');
    await code.setValue('000000');
    await code.trigger('submit');
    await flushPromises();
    expect(shown.find('[role=alert]').text()).toMatch(/not paired/);
    await code.setValue('123456');
    await code.trigger('submit');
    await flushPromises();
    const body = { address: '10.0.0.7:37123', code: '123456' };
    expect(last(asked, 'POST', '/connections/pairing')?.body).toEqual(body);
    expect(shown.text()).toMatch(/Paired with 10\.0\.0\.7/);
    await button(shown, 'Connect').trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', '/connections/wireless')?.body).toEqual({ address: '10.0.0.8:40001' });
  });

  it('say on an empty bench what to do first', async () => {
    useBench().loaded = true;
    useConnections().view = view([]);
    const shown = await show(BenchView);
    expect(shown.text()).toMatch(/No phone is on the bench.*USB debugging.*pairing code.*Volume down/s);
  });

  it('stand on an empty bench when a phone waits there', async () => {
    useBench().loaded = true;
    useConnections().view = view([way({ address: 'b:2', state: 'asks' })]);
    const shown = await show(BenchView);
    expect(shown.text()).toMatch(/A phone at b:2 has not allowed this computer yet.*Unlock the phone/s);
    expect(shown.text()).not.toMatch(/No phone is on the bench/);
  });
});

const image = (
  path: string,
  over: Partial<ImportView['images'][number]> = {},
): ImportView['images'][number] => ({
  paths: [path],
  layers: ['raw'],
  bytes: MiB,
  imageBytes: 2 * MiB,
  kind: 'block',
  notes: [],
  ...over,
});
const found = (over: Partial<ImportView> = {}): ImportView => ({
  id: 'firmware',
  isCopy: true,
  state: 'ready',
  bytes: 3 * MiB,
  copies: [],
  images: [
    image('boot.img', { partition: 'boot', layers: ['gzip', 'boot image'] }),
    image('splash.bin'),
    image('broken.img.lz4', { fault: 'It is compressed by lz4.' }),
  ],
  said: [],
  locked: [],
  suggested: undefined,
  fault: undefined,
  ...over,
});
const imports = (...each: ImportView[]): ImportsView => ({ folder: '/somewhere/imports', imports: each });

describe('Import', () => {
  it('lists what came, and shows what was made of one', async () => {
    useImports().view = imports(
      found(),
      found({ id: 'growing.img', state: 'arriving', images: [] }),
      found({ id: 'odd', images: [], fault: 'It cannot be read.' }),
    );
    const shown = await show(ImportPage, { id: 'firmware' });
    expect(shown.findAll('.waiting li').map((row) => row.text())).toEqual([
      expect.stringMatching(/growing\.img.*still being copied/s),
      expect.stringMatching(/odd.*It cannot be read/s),
    ]);
    const table = shown.find('.el-table').text();
    expect(table).toMatch(/boot\.img.*gzip › boot image/s);
    expect(table).toMatch(/broken\.img\.lz4.*compressed by lz4/s);
    expect((await show(ImportPage, { id: 'gone' })).text()).toMatch(/These files are not waiting here/);
  });

  it('discards a copy that the browser made, and nothing that somebody else put there', async () => {
    const asked = answering({ 'DELETE /imports/firmware': {}, 'GET /imports': imports() });
    useImports().view = imports(found(), found({ id: 'theirs', isCopy: false }));
    expect(button(await show(ImportPage, { id: 'theirs' }), 'Discard this copy')).toBeUndefined();
    await button(await show(ImportPage, { id: 'firmware' }), 'Discard this copy').trigger('click');
    await flushPromises();
    expect(last(asked, 'DELETE', '/imports/firmware')).toBeDefined();
  });

  it('asks for the passphrase of what is encrypted', async () => {
    const asked = answering({ 'POST /imports/firmware/passphrase': {}, 'GET /imports': imports(found()) });
    useImports().view = imports(found({ locked: ['backup.ab'] }));
    const shown = await show(ImportPage, { id: 'firmware' });
    await shown.find('input[type=password]').setValue('sea lavender');
    await shown.find('form[aria-label="Unlock firmware"]').trigger('submit');
    await flushPromises();
    expect(last(asked, 'POST', '/imports/firmware/passphrase')?.body).toEqual({ passphrase: 'sea lavender' });
    expect(shown.find('form[aria-label="Unlock firmware"]').exists()).toBe(false);
  });

  it('shows how far a copy is, and why it broke off', async () => {
    const store = useImports();
    store.view = imports();
    const cancel = vi.fn();
    store.copies = [
      { key: 1, name: 'system.img', bytes: 4 * MiB, doneBytes: MiB, error: undefined, cancel },
      { key: 2, name: 'boot.img', bytes: MiB, doneBytes: 0, error: 'It came twice.', cancel },
    ];
    const shown = await show(ImportPage);
    expect(shown.find('.copies').text()).toMatch(/system\.img.*1 MiB of 4 MiB copied and digested/s);
    expect(shown.find('.copies [role=alert]').text()).toBe('It came twice.');
    await shown.find('[aria-label="Cancel system.img"]').trigger('click');
    expect(cancel).toHaveBeenCalledOnce();
  });

  it('matches names anew once the phone is chosen, and takes in what now has a partition', async () => {
    answering({ [`GET /phones/${serial}/known-partitions`]: ['boot_a', 'boot_b', 'splash'] });
    const store = useImports();
    const view = found();
    store.view = imports(view);
    await show(ImportPage, { id: 'firmware' });
    expect(store.draft(view).picked).toEqual(['boot.img']);
    expect(store.partitionOf(view, view.images[1]!)).toBe('');
    store.draft(view).serial = serial;
    await flushPromises();
    await eventually(() => expect(store.draft(view).picked).toContain('splash.bin'));
    expect(store.partitionOf(view, view.images[1]!)).toBe('splash');
    // Of two slots it is the one that starts, until somebody chooses.
    expect(store.partitionOf(view, view.images[0]!)).toBe('boot_a');
    store.draft(view).partitions['boot.img'] = 'boot_b';
    expect(store.partitionOf(view, view.images[0]!)).toBe('boot_b');
  });
});

describe('the tray of an import', () => {
  const sheetOf = ({ choices, label, serial: of, firmwareOf }: ImportingRequest) =>
    importingSheet({
      images: choices.map(({ path, partition: name }) => ({
        partition: name,
        role: 'boot-chain' as const,
        paths: [path],
        layers: ['raw'],
        bytes: MiB,
        imageBytes: 2 * MiB,
        kind: 'block' as const,
        notes: [],
        isListed: false,
      })),
      left: [],
      label,
      serial: of,
      firmwareOf,
      partitions: [],
      labels: [],
      shelf: { freeBytes: 2 ** 40 },
      bytesPerSecond: 100 * MiB,
    });

  async function tray(over: Partial<ImportView> = {}) {
    const asked = answering({
      'POST /imports/firmware/sheet': sheetOf,
      'POST /imports/firmware/importing': run({ kind: 'importing' }),
    });
    useBench().take(phone());
    const view = found(over);
    const shown = await show(ImportTray, { found: view });
    await eventually(() => expect(shown.findAll('[data-check]').length).toBeGreaterThan(0));
    return { shown, asked, draft: useImports().draft(view) };
  }
  const go = (shown: Shown) => shown.find<HTMLButtonElement>('button.go');

  it('wants to know of which phone', async () => {
    const { shown, draft } = await tray();
    expect(shown.find('[data-check="phone-not-named"]').exists()).toBe(true);
    expect(go(shown).element.disabled).toBe(true);
    draft.serial = serial;
    await eventually(() => expect(go(shown).element.disabled).toBe(false));
  });

  it('wants maker and model of a phone that nobody knows yet, and sends them along', async () => {
    const { shown, asked, draft } = await tray();
    draft.serial = 'NEW-1';
    await flushPromises();
    expect(shown.text()).toMatch(/does not know this phone yet/);
    await shown.find('input[aria-label="Maker"]').setValue('Marram');
    await shown.find('input[aria-label="Model"]').setValue('Sedge 10');
    await eventually(() => expect(go(shown).element.disabled).toBe(false));
    await go(shown).trigger('click');
    await flushPromises();
    expect(last(asked, 'POST', '/imports/firmware/importing')?.body).toMatchObject({
      serial: 'NEW-1',
      phone: { maker: 'Marram', model: 'Sedge 10', nickname: 'Sedge 10' },
      choices: [{ path: 'boot.img', partition: 'boot' }],
    });
  });

  it('takes firmware in for a model, of no phone', async () => {
    const { shown, asked } = await tray();
    await shown.find('input[type=radio][value=true]').setValue(true);
    await flushPromises();
    expect(shown.find('[aria-label="Phone of these files"]').exists()).toBe(false);
    await shown.find('input[aria-label="Model"]').setValue('Knot 3');
    await shown.find('input[aria-label="Maker"]').setValue('Tidewell');
    await eventually(() => expect(go(shown).element.disabled).toBe(false));
    await go(shown).trigger('click');
    await flushPromises();
    const { body } = last(asked, 'POST', '/imports/firmware/importing')!;
    expect(body).toMatchObject({ serial: '', firmwareOf: { maker: 'Tidewell', model: 'Knot 3' } });
    expect(body).not.toHaveProperty('phone');
  });

  it('begins with what a list that came along suggests', async () => {
    const { draft } = await tray({
      suggested: {
        label: 'as it was',
        note: '',
        serial,
        maker: 'Tidewell',
        model: 'Knot 3',
        nickname: 'Hut',
      },
    });
    expect(draft).toMatchObject({ label: 'as it was', serial, isFirmware: false });
  });

  it('begins as firmware where the list tells that it was', async () => {
    const owner = ownerOfFirmware({ maker: 'Tidewell', model: 'Knot 3' });
    const { draft } = await tray({ suggested: { label: 'January', note: '', ...owner } });
    expect(draft).toMatchObject({ serial: '', isFirmware: true, model: 'Knot 3' });
  });
});

describe('the partition table', () => {
  it('says what is half written, and leads to the run that left it so', async () => {
    const shown = await show(PartitionTable, {
      partitions: [
        partition('boot', 'boot-chain', MiB, { halfWritten: 'r7' }),
        partition('efs', 'identity', MiB),
      ],
      picked: [],
    });
    const mark = shown.find('a.half');
    expect(mark.text()).toBe('half written');
    expect(mark.attributes('href')).toBe('/runs/r7');
    expect(shown.findAll('a.half')).toHaveLength(1);
  });
});
