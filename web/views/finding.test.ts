// @vitest-environment happy-dom
import { flushPromises } from '@vue/test-utils';
import { expect, it, vi } from 'vitest';
import type { FindView, FoundFile, NameIndexView } from '@keen-larder/contract/larder/finding.ts';
import { answering, last, onEmptyStage, show } from '../testing/stage.ts';
import { useCopies } from '../state/larder/copies.ts';
import FindPage from './larder/finding/FindPage.vue';

onEmptyStage();

const none = { found: [], isCut: false };
const nothing: FindView = { phones: none, sets: none, images: none, apps: none, files: none };
const index: NameIndexView = { files: 1234, trees: 5, unread: 0, faults: 0, bytes: 3 << 20, userData: false };
const file: FoundFile = {
  path: '/etc/hosts',
  kind: 'file',
  bytes: 20,
  sha256: 'ab'.repeat(32),
  partition: 'super',
  part: 'system',
  sets: [
    { id: 's2', label: 'Second', nickname: 'Ringing hut', createdAt: 2, elsewhere: [] },
    { id: 's1', label: 'First', nickname: 'Ringing hut', createdAt: 1, elsewhere: [] },
  ],
  copies: [],
};
/** In folders of an app that was copied. */
const copied: FoundFile = {
  ...file,
  ...{ path: '/databases/hosts.db', partition: 'data.tar', part: '', sets: [] },
  copies: [{ id: 'c1', label: 'Hosts', nickname: 'Lamp', createdAt: 3 }],
};

async function find(text: string, answer: FindView, state: NameIndexView = index) {
  const asked = answering({
    'GET /names': state,
    [`GET /find?q=${text}`]: answer,
    'PUT /names': { ...state, userData: true },
  });
  vi.useFakeTimers();
  const shown = await show(FindPage);
  await shown.find('input').setValue(text);
  await vi.advanceTimersByTimeAsync(200);
  vi.useRealTimers();
  await flushPromises();
  return { asked, shown };
}

it('says of what lies in a copy alone where it lies, and leads there', async () => {
  const moved = { id: 's3', label: 'Third', nickname: 'Lamp', createdAt: 3, elsewhere: ['disk'] as const };
  const set = { ...moved, note: '', serial: 'L-1', build: undefined, fingerprint: undefined };
  const { shown } = await find('third', {
    ...nothing,
    sets: { found: [set], isCut: false },
    files: { found: [{ ...file, sets: [moved] }], isCut: false },
  });
  for (const group of ['Sets', 'Files within images and copies']) {
    const found = shown.find(`[aria-label="${group}"]`);
    expect(found.text()).toContain(', on the second disk alone');
    expect(found.find('a').attributes('href')).toBe('/larder/off-site');
  }
});

it('shows hits by kind, and where each is', async () => {
  const { shown, asked } = await find('hosts', {
    ...nothing,
    files: { found: [file, copied], isCut: true },
    apps: {
      found: [{ package: 'example.hosts', label: 'Hosts', copies: 2, newestAt: 0, nicknames: ['Lamp'] }],
      isCut: false,
    },
  });
  expect(last(asked, 'GET', '/find?q=hosts')).toBeDefined();
  const files = shown.find('[aria-label="Files within images and copies"]');
  expect(files.text()).toMatch(
    /\/etc\/hosts.*abababababab.*20 B · system in “Second” of Ringing hut, and 1 before it/s,
  );
  expect(files.text()).toContain('There are more');
  expect(files.text()).toMatch(/\/databases\/hosts\.db.*data\.tar of the copy of Hosts of Lamp/s);
  expect(files.findAll('a')[1]!.attributes('href')).toBe('/larder/copies');
  // The page was made while time was turned forward: until then it takes clicks for older than itself.
  await vi.waitFor(async () => {
    await files.findAll('a')[1]!.trigger('click');
    expect(useCopies().draft.shown).toBe('c1');
  });
  const link = files.find('a').attributes('href')!;
  expect(link).toMatch(/^\/larder\/sets\/s2\/super\?/);
  expect(Object.fromEntries(new URLSearchParams(link.split('?')[1]))).toEqual({
    part: 'system',
    path: '/etc',
    file: '/etc/hosts',
  });
  expect(shown.find('[aria-label="Apps that were copied"]').text()).toMatch(
    /Hosts\s*example\.hosts · 2\s+copies/,
  );
  expect(shown.find('[aria-label="Sets"]').exists()).toBe(false);
});

it('says when nothing is found, and what was not looked at yet', async () => {
  const { shown } = await find('quince', nothing, { ...index, unread: 3 });
  expect(shown.text()).toMatch(/Nothing of that is kept.*3 images and file systems are not read yet/s);
});

it('tells the size of its index, and takes names within user data when it is told to', async () => {
  const { shown, asked } = await find('', nothing);
  expect(shown.find('footer').text()).toMatch(/1,234 names of 5 file systems and archives, in 3 MiB/);
  await shown.find('input[role="switch"]').setValue(true);
  await flushPromises();
  expect(last(asked, 'PUT', '/names')?.body).toEqual({ userData: true });
});
