// @vitest-environment happy-dom
import { enableAutoUnmount, flushPromises } from '@vue/test-utils';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { appFacts } from '@keen-larder/core/testing/apps.ts';
import { useApps } from '../state/apps.ts';
import { answering, emptyStores, facts, phone, serial, show } from '../testing/stage.ts';
import AppTray from '../tray/AppTray.vue';
import PhoneApps from './bench/PhoneApps.vue';

enableAutoUnmount(afterEach);
// The table follows the size of its box, which nothing here lays out.
vi.mock(import('@vueuse/core'), async (original) => {
  const { ref } = await import('vue');
  return {
    ...(await original()),
    useElementSize: () => ({ width: ref(700), height: ref(400), stop: () => undefined }),
  };
});
beforeEach(() => {
  emptyStores();
  answering({});
  document.body.innerHTML = '';
});

const running = phone({ facts: { ...facts, mode: 'system' } });
const camera = { name: 'android.permission.CAMERA', granted: true };
const list = [
  appFacts('tidebook', {
    isRunning: true,
    permissions: [camera, { ...camera, name: 'example.own', granted: false }],
  }),
  appFacts('marshlog', { dataBytes: 9 << 20 }),
  appFacts('ferrytimes', { isBuiltIn: true, label: 'Ferry Times', hasIcon: false, dataBytes: undefined }),
];

describe('Apps of a phone', () => {
  async function apps() {
    const asked = answering({ [`GET /phones/${serial}/apps`]: list });
    const shown = await show(PhoneApps, { phone: running });
    await vi.waitFor(() => expect(shown.findAll('button.name')).toHaveLength(3));
    const names = () => shown.findAll('button.name strong').map((each) => each.text());
    const choice = (text: RegExp) => shown.findAll('button.choice').find((each) => text.test(each.text()))!;
    return { shown, asked, names, choice };
  }

  it('are listed by name, with counts on every facet and what they hide', async () => {
    const { shown, names, choice } = await apps();
    expect(names()).toEqual(['Ferry Times', 'Marshlog', 'Tidebook']);
    expect(shown.text()).toMatch(/3 apps · programs\s*15 MiB · data\s*11 MiB/);
    expect(choice(/by its owner/).text()).toMatch(/2$/);
    await choice(/with the system/).trigger('click');
    expect(names()).toEqual(['Ferry Times']);
    expect(choice(/with the system/).attributes('aria-pressed')).toBe('true');
    expect(shown.find('.sum').text()).toMatch(/2 hidden by search or facets/);
    await shown.findAll('.sum button')[0]!.trigger('click');
    expect(names()).toHaveLength(3);
  });

  it('are searched, and keep the search while one looks elsewhere', async () => {
    const { shown, names } = await apps();
    await shown.find('input').setValue('marsh');
    expect(names()).toEqual(['Marshlog']);
    shown.unmount();
    const again = await show(PhoneApps, { phone: running });
    await vi.waitFor(() => expect(again.findAll('button.name')).toHaveLength(1));
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
    expect(tray.text()).toMatch(/with the system/);
  });

  it('say what to do where no system runs, and when the phone does not answer', async () => {
    const away = await show(PhoneApps, { phone: phone() });
    expect(away.text()).toMatch(/Ringing hut is not in system mode now.*Restart it into system/s);
    answering({ [`GET /phones/${serial}/apps`]: new Error('Ringing hut does not answer now.') });
    const refused = await show(PhoneApps, { phone: running });
    await vi.waitFor(() => expect(refused.find('[role=alert]').exists()).toBe(true));
  });
});
