// @vitest-environment happy-dom
// Photos and files that were kept, by folders that go onto a phone.
import { describe, expect, it } from 'vitest';
import { puttingSharedSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import { useBench } from '../state/bench.ts';
import { useShared } from '../state/shared.ts';
import {
  answering,
  button,
  eventually,
  facts,
  last,
  onEmptyStage,
  phone,
  run,
  serial,
  show,
} from '../testing/stage.ts';
import SharedTray from '../tray/SharedTray.vue';
import PhoneShared from './bench/PhoneShared.vue';

onEmptyStage();

const running = phone({ facts: { ...facts, mode: 'system' } });
const own = {
  setId: 's1',
  label: 'photos',
  serial,
  nickname: 'Ringing hut',
  createdAt: 2e12,
  bytes: 9 << 20,
};
const other = { ...own, setId: 's2', serial: 'TW3K-10517', nickname: 'East wall' };
const kept = [
  { name: '', files: 1, bytes: 10 },
  { name: 'DCIM', files: 12, bytes: 8 << 20 },
];

describe('photos and files that were kept', () => {
  it('say that there are none, and where they are kept', async () => {
    answering({ 'GET /shared-storage': [] });
    const shown = await show(PhoneShared, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/No set has shared storage.*Storage.*keeps it/s));
  });

  it('are those of the phone itself at first, a folder a row', async () => {
    answering({ 'GET /shared-storage': [other, own], 'GET /sets/s1/shared-folders': kept });
    const shown = await show(PhoneShared, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/files in no folder.*1.*DCIM.*12/s));
    await shown.find('[aria-label="Pick DCIM"] input, input[aria-label="Pick DCIM"]').setValue(true);
    expect(useShared().draft(serial).picked).toEqual(['DCIM']);
    expect(useShared().chosen(serial)?.setId).toBe('s1');
  });

  it('go onto the phone, armed where files are replaced', async () => {
    const sheet = (body: unknown) =>
      puttingSharedSheet({
        ...{ phone: running.facts!, from: own, isDamaged: false, kept, freeBytes: 1 << 30 },
        ...{ comingBytes: 8 << 20, bytesPerSecond: 20e6 },
        picked: ['DCIM'],
        onTop: (body as { onTop: 'leave' | 'replace' }).onTop,
      });
    const asked = answering({
      'GET /shared-storage': [own],
      'GET /sets/s1/shared-folders': kept,
      [`POST /phones/${serial}/putting-shared-sheet`]: sheet,
      [`POST /phones/${serial}/putting-shared`]: run({ kind: 'putting-shared' }),
    });
    useBench().phones = [running];
    const store = useShared();
    await store.load(serial);
    const draft = store.draft(serial);
    draft.picked = ['DCIM'];
    const shown = await show(SharedTray, { phone: running });
    await eventually(() => expect(shown.text()).toMatch(/What is there stays/));
    await button(shown, 'Put in place').trigger('click');
    await eventually(() =>
      expect(last(asked, 'POST', `/phones/${serial}/putting-shared`)?.body).toMatchObject({
        ...{ setId: 's1', folders: ['DCIM'], onTop: 'leave' },
      }),
    );
    await eventually(() => expect(draft.picked).toEqual([]));
    Object.assign(draft, { picked: ['DCIM'], onTop: 'replace' });
    await eventually(() => expect(shown.text()).toMatch(/Files of the same names are replaced/));
    expect(button(shown, 'Put in place').attributes('disabled')).toBeDefined();
  });
});
