import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { afterAll, afterEach, describe, expect, it } from 'vitest';
import {
  keepSet,
  openOn,
  putting,
  serial,
  startKnot3,
  testFolder,
  toRecovery,
  until,
} from '../../testing/bench.ts';
import { isLong } from '../../testing/effort.ts';
import { MemoryUsbBus, MemoryUsbDevice, type MemoryUsbOptions } from '../../testing/usb/memory-usb.ts';
import type { KeenLarder } from '../keen-larder.ts';
import { wholeOf } from '../shelf/image-writer.ts';
import { startRestoring } from '../runs/restoring/restoring.ts';

const folder = testFolder();
afterAll(folder.remove);
let count = 0;
let closing: (() => Promise<void>)[] = [];
afterEach(async () => {
  for (const close of closing.reverse()) await close();
  closing = [];
});

/** A bench on which phones are on USB alone. */
async function onUsb() {
  const home = join(folder.path, String(++count));
  const bench = await startKnot3(join(home, 'phones'));
  closing.push(() => bench.close());
  const bus = new MemoryUsbBus();
  const app = await openOn(join(home, 'larder'), undefined, { usbBus: bus });
  closing.push(() => app.close());
  const portOf = (address: string) => Number(address.split(':').at(-1));
  const device = (kind: MemoryUsbOptions['kind'], over: Partial<MemoryUsbOptions> = {}) =>
    new MemoryUsbDevice({
      ...{ kind, serial },
      port: () => portOf(bench.phone.state()[kind]),
      ...over,
    });
  return { app, bus, device, phone: bench.phone };
}

const stateOf = (app: KeenLarder) =>
  app.bench.ways.view().connections.find(({ origin }) => origin === 'usb')?.state;
const isHere = (app: KeenLarder, mode: 'system' | 'recovery' | 'bootloader') => () =>
  app.bench.linkIn(serial, mode) !== undefined;

describe('adb over USB, without an adb server', () => {
  it('asks for permission, reads whatever the packets’ size, and goes when it is unplugged', async () => {
    const { app, bus, device, phone } = await onUsb();
    void phone.start('recovery');
    for (const packetBytes of [64, 512, 1024]) {
      const plugged = device('adb', { packetBytes });
      bus.plug(plugged);
      await until('recovery over USB', isHere(app, 'recovery'));
      expect(app.bench.view(serial).link).toBe(`adb usb ${serial}`);
      expect(stateOf(app)).toBe('connected');
      const access = app.bench.access(serial);
      const { bytes } = (await access.list()).find(({ name }) => name === (isLong ? 'system' : 'boot'))!;
      // A gibibyte with the long campaigns.
      for (let carried = bytes; isLong && carried < 1 << 30; carried += bytes)
        for await (const part of access.read('system', wholeOf(bytes))) void part;
      const hash = createHash('sha256');
      for await (const part of access.read(isLong ? 'system' : 'boot', wholeOf(bytes))) hash.update(part);
      const told = await access.digest(isLong ? 'system' : 'boot', wholeOf(bytes));
      expect(hash.digest('hex')).toBe(told.hex);
      bus.unplug(plugged);
      await until('its going', () => app.bench.view(serial).presence === 'away');
      await until('the connection to go', () => stateOf(app) === undefined);
    }
    expect(app.bench.ways.view().usb).toMatchObject({
      state: 'followed',
      lastSeen: { what: expect.stringContaining('was unplugged') as string },
    });
  });

  it('waits until somebody allows this computer on the phone, who is not asked again', async () => {
    const { app, bus, device, phone } = await onUsb();
    phone.trusting = false;
    const plugged = device('adb');
    bus.plug(plugged);
    await until('the question', () => stateOf(app) === 'asks' && phone.state().asking !== undefined);
    expect(phone.state().asking?.fingerprint).toBe(app.bench.ways.view().fingerprint);
    expect(app.bench.list()).toEqual([]);
    await phone.answerAsking(true);
    await until('the system over USB', isHere(app, 'system'));
    bus.unplug(plugged);
    await until('its going', () => app.bench.view(serial).presence === 'away');
    bus.plug(device('adb'));
    await until('the system once more', isHere(app, 'system'));
    expect(phone.state().asking).toBeUndefined();
  });

  it('clears endpoints that stall', async () => {
    const { app, bus, device, phone } = await onUsb();
    void phone.start('recovery');
    const plugged = device('adb', { stallsEvery: 40 });
    bus.plug(plugged);
    await until('recovery over USB', () => plugged.cleared > 0 && isHere(app, 'recovery')());
  });

  it('goes on with an image where the cable came out', async () => {
    const { app, bus, device, phone } = await onUsb();
    let plugged = device('adb');
    bus.plug(plugged);
    await toRecovery(app, phone);
    let read = 0;
    const { transferIn } = plugged;
    plugged.transferIn = async (endpoint, length) => {
      const result = await transferIn.call(plugged, endpoint, length);
      read += result.data?.byteLength ?? 0;
      if (read > 60 << 20) {
        bus.unplug(plugged);
        setTimeout(() => bus.plug((plugged = device('adb'))), 300);
        read = -Infinity;
      }
      return result;
    };
    const set = await keepSet(app, 'unplugged', ['system']);
    const run = app.engine.list().find(({ setId }) => setId === set)!;
    expect(
      app.engine
        .logOf(run.id)
        .map(({ text }) => text)
        .join('\n'),
    ).toMatch(/no longer connected|link/);
    const [image] = app.larder.detail(set).images;
    expect((await app.bench.access(serial).digest('system', wholeOf(image!.bytes))).hex).toBe(image!.sha256);
  });

  it.each([
    ['open', 'open error: Permission denied (os error 13)', 'no permissions'],
    ['claim', 'claimInterface error: Resource busy (os error 16)', 'held'],
  ] as const)('says what hinders it to %s a device', async (at, words, state) => {
    const { app, bus, device } = await onUsb();
    bus.plug(device('adb', { hindrance: { at, words } }));
    await until('the state', () => stateOf(app) === state);
  });
});

describe('fastboot over USB', () => {
  it('tells its variables, takes pieces of images, and survives the cable', async () => {
    const { app, bus, device, phone } = await onUsb();
    const usb = device('adb');
    bus.plug(usb);
    await toRecovery(app, phone);
    const set = await keepSet(app, 'boot', ['boot', 'logo']);
    bus.unplug(usb);
    void phone.start('bootloader');
    await until(
      'the bootloader',
      () => phone.state().mode === 'bootloader' && phone.state().phase === 'running',
    );
    let plugged = device('fastboot', { packetBytes: 64 });
    bus.plug(plugged);
    await until('fastboot', isHere(app, 'bootloader'));
    const { facts, link } = app.bench.view(serial);
    expect(link).toBe(`fastboot usb ${serial}`);
    expect(facts?.variables?.['product']).toBeTruthy();
    const access = app.bench.link(serial).flashing!;
    const { bytes } = (await access.list()).find(({ name }) => name === 'logo')!;
    const zeros = async function* () {
      for (let at = 0; at < bytes; at += 100_003) yield new Uint8Array(Math.min(100_003, bytes - at));
    };
    await access.flash('logo', { bytes, parts: zeros() });
    expect(Buffer.from(await phone.flash.partition('logo')!.read(0, bytes)).equals(Buffer.alloc(bytes))).toBe(
      true,
    );
    // Unplugged in the middle of a piece: that run waits for the cable, and writes the piece anew.
    const { transferOut } = plugged;
    let sent = 0;
    plugged.transferOut = async (endpoint, data) => {
      sent += data.length;
      if (sent > 3 << 20) {
        bus.unplug(plugged);
        setTimeout(() => bus.plug((plugged = device('fastboot'))), 300);
        sent = -Infinity;
      }
      return transferOut.call(plugged, endpoint, data);
    };
    const start = putting(set, ['boot', 'logo'], {
      restartAfter: false,
      confirmed: ['battery', 'boot-forecast', 'version-unknown', 'will-wipe', 'keep-first'],
    });
    const run = await startRestoring(app, serial, start);
    await until(
      'recovery is asked for',
      () => phone.state().mode === 'recovery' || phone.state().phase === 'starting',
    );
    bus.unplug(plugged);
    bus.plug(device('adb'));
    const ended = await app.engine.ended(run.id);
    expect(ended.state, ended.outcome).toBe('done');
    expect(sent, 'the cable came out').toBe(-Infinity);
    const kept = app.larder.detail(set).images.find(({ partition }) => partition === 'logo')!;
    const logo = await phone.flash.partition('logo')!.read(0, bytes);
    expect(createHash('sha256').update(logo).digest('hex')).toBe(kept.sha256);
  });
});
