import {
  disableAutoUnmount,
  enableAutoUnmount,
  flushPromises,
  mount,
  type VueWrapper,
} from '@vue/test-utils';
import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, vi } from 'vitest';
import { createMemoryHistory, createRouter } from 'vue-router';
import type { Component } from 'vue';
import type { PartitionView, PhoneView } from '@keen-larder/contract/bench.ts';
import type { RunView } from '@keen-larder/contract/runs.ts';
import type { ImageView, SetDetail } from '@keen-larder/contract/sets.ts';
import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import { ApiError } from '../api/ask.ts';
import { imagingSheet, restoringSheet } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { ImagingRequest } from '@keen-larder/contract/requests/imaging.ts';
import type { RestoringRequest } from '@keen-larder/contract/requests/restoring.ts';

/** Takes down what a test has put up; said once in each file, whose modules are those of the files before. */
export function unmountAfterEach(): void {
  disableAutoUnmount();
  enableAutoUnmount(afterEach);
}

export const serial = 'TW3K-10482';
export const MiB = 1 << 20;

export const facts: PhoneFacts = {
  serial,
  maker: 'Tidewell',
  model: 'Knot 3',
  mode: 'recovery',
  root: true,
  abis: ['arm64-v8a'],
  condition: {
    kind: 'rooted',
    androidVersion: '9',
    build: 'TideOS 9 TW3.260301.004',
    patchLevel: '2026-03-05',
    bootloaderUnlocked: true,
    encrypted: false,
  },
  battery: { percent: 82, charging: true },
};

export const phone = (over: Partial<PhoneView> = {}): PhoneView => ({
  serial,
  nickname: 'Ringing hut',
  maker: 'Tidewell',
  model: 'Knot 3',
  presence: 'here',
  facts,
  link: 'adb 127.0.0.1:5555',
  lastSeenAt: 1000,
  goneAt: undefined,
  expectedMode: undefined,
  newestSetAt: undefined,
  setCount: 0,
  runId: undefined,
  keys: { recovery: 'Hold Power and Volume up.' },
  ...over,
});

export const partition = (
  name: string,
  role: PartitionView['role'],
  bytes: number,
  over: Partial<PartitionView> = {},
): PartitionView => ({ name, role, bytes, kept: undefined, since: undefined, neverWritten: false, ...over });

export const partitions: readonly PartitionView[] = [
  partition('boot', 'boot-chain', 32 * MiB, { fileSystem: 'boot image' }),
  partition('system', 'system', 512 * MiB, { fileSystem: 'ext4', usedBytes: 128 * MiB }),
  partition('userdata', 'user-data', 1400 * MiB, { fileSystem: 'ext4', usedBytes: 93 * MiB }),
  partition('efs', 'identity', 16 * MiB, {
    kept: {
      setId: 's1',
      label: 'first',
      at: 1000,
      bytes: 16 * MiB,
      sha256: 'ab'.repeat(32),
      ranges: undefined,
    },
  }),
  partition('persist', 'identity', 32 * MiB),
  partition('cache', 'scratch', 96 * MiB),
  partition('frp', 'other', 512 * 1024, { neverWritten: true }),
];

export const image = (name: string, role: ImageView['role'], bytes: number): ImageView => ({
  partition: name,
  role,
  bytes,
  sha256: 'ab'.repeat(32),
  fileSystem: undefined,
  usedBytes: undefined,
  damage: undefined,
  kind: 'block',
  ranges: undefined,
  unsettled: undefined,
  proof: 'sha256',
});

export const set = (over: Partial<SetDetail> = {}): SetDetail => ({
  id: 's1',
  label: 'Knot 3 · rooted 9 · before flash · 24 Nov 2026',
  note: '',
  serial,
  nickname: 'Ringing hut',
  maker: 'Tidewell',
  model: 'Knot 3',
  mode: 'recovery',
  condition: facts.condition,
  createdAt: Date.UTC(2026, 10, 24),
  elapsedMs: 5000,
  imageCount: 2,
  bytes: 544 * MiB,
  addedBytes: 98 * MiB,
  verifiedAt: undefined,
  damaged: false,
  complete: true,
  imported: false,
  firmware: false,
  fingerprint: 'f7cf'.repeat(16),
  binnedAt: undefined,
  pinned: false,
  by: undefined,
  strip: [
    { role: 'boot-chain', bytes: 32 * MiB },
    { role: 'system', bytes: 512 * MiB },
  ],
  images: [image('boot', 'boot-chain', 32 * MiB), image('system', 'system', 512 * MiB)],
  untraced: [],
  ...over,
});

export const run = (over: Partial<RunView> = {}): RunView => ({
  id: 'r1',
  kind: 'imaging',
  title: 'Keep 2 images of Ringing hut: first',
  serial,
  nickname: 'Ringing hut',
  by: undefined,
  setId: undefined,
  state: 'running',
  startedAt: Date.now() - 4000,
  endedAt: undefined,
  steps: [
    { text: 'Read efs', partition: 'efs', bytes: 100, doneBytes: 100, state: 'done', result: 'SHA-256 x' },
    { text: 'Read boot', partition: 'boot', bytes: 300, doneBytes: 60, state: 'running', result: undefined },
  ],
  bytes: 400,
  doneBytes: 160,
  bytesPerSecond: 40,
  leftMs: 6000,
  waitingFor: undefined,
  canPause: true,
  canResume: false,
  hasProof: false,
  outcome: undefined,
  speeds: [30, 50, 40],
  ...over,
});

export interface Asked {
  readonly method: string;
  readonly path: string;
  readonly body: unknown;
}

/**
 * Stands in for the server: answers by method and path, and remembers what was asked.
 * @param answers a value, or what makes one of the request's body; an Error is answered as a problem
 */
export function answering(answers: Record<string, unknown>): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal('fetch', (url: string, init: RequestInit = {}) => {
    const method = init.method ?? 'GET';
    const path = url.replace(/^\/api/, '');
    const body: unknown = typeof init.body === 'string' ? JSON.parse(init.body) : undefined;
    asked.push({ method, path, body });
    const sets = answers['GET /sets'];
    const known = answers[`${method} ${path}`] ?? (isOfSets(path) && sets ? wholeOf(sets) : undefined);
    const answer: unknown = typeof known === 'function' ? (known as (body: unknown) => unknown)(body) : known;
    if (answer instanceof Error || answer === undefined) {
      const detail = answer instanceof Error ? answer.message : `nothing answers ${method} ${path}`;
      const status = answer instanceof ApiError ? answer.problem.status : answer ? 409 : 404;
      return Promise.resolve(
        new Response(JSON.stringify({ type: 'about:blank', title: 'x', status, detail }), { status }),
      );
    }
    return Promise.resolve(new Response(JSON.stringify(answer), { status: 200 }));
  });
  return asked;
}

const isOfSets = (path: string) => path.startsWith('/sets/changes');
/** As the server tells all sets. */
const wholeOf = (sets: unknown) => (): unknown => {
  const told: unknown = typeof sets === 'function' ? (sets as () => unknown)() : sets;
  return Array.isArray(told) ? { revision: 1, isWhole: true, sets: told, removed: [] } : told;
};

/** Waits until a check holds; a busy machine may need its time. */
export const eventually = <T>(check: () => T | Promise<T>): Promise<T> =>
  vi.waitFor(check, { timeout: 20_000, interval: 20 });

/** Begins a test with empty stores. */
export function emptyStores(): void {
  setActivePinia(createPinia());
}

/** Begins each test with empty stores, an empty page and a server that answers nothing. */
export function onEmptyStage(): void {
  unmountAfterEach();
  beforeEach(() => {
    emptyStores();
    answering({});
    document.body.innerHTML = '';
  });
}

/** A button of what is shown, by all of its text or by what is in it. */
export const button = (shown: Shown, text: string | RegExp) =>
  shown
    .findAll('button')
    .find((each) => (typeof text === 'string' ? each.text() === text : text.test(each.text())))!;

/** What was asked last by a method and path. */
export const last = (asked: readonly Asked[], method: string, path: string): Asked | undefined =>
  asked.filter((each) => each.method === method && each.path === path).at(-1);

const blank = { template: '<div />' };

export type Shown = VueWrapper;

/** Mounts a component as the application does, at an address. */
export async function show(
  component: Component,
  props: Record<string, unknown> = {},
  address = '/bench',
): Promise<Shown> {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/bench/:serial?', name: 'bench', component: blank },
      { path: '/bench/:serial/apps', name: 'apps', component: blank },
      { path: '/bench/:serial/records/shared', name: 'shared', component: blank },
      { path: '/bench/:serial/apps/leftovers', name: 'leftovers', component: blank },
      { path: '/bench/:serial/move', name: 'move', component: blank },
      { path: '/bench/:serial/records', name: 'records', component: blank },
      { path: '/bench/:serial/rescue', name: 'rescue', component: blank },
      { path: '/bench/:serial/bootloader', name: 'bootloader', component: blank },
      { path: '/bench/:serial/past', name: 'past', component: blank },
      { path: '/bench/:serial/details', name: 'details', component: blank },
      { path: '/connections', name: 'connections', component: blank },
      { path: '/larder', name: 'larder', component: blank },
      { path: '/larder/import/:id?', name: 'import', component: blank },
      { path: '/larder/copies', name: 'copies', component: blank },
      { path: '/larder/find', name: 'find', component: blank },
      { path: '/larder/off-site', name: 'offsite', component: blank },
      { path: '/larder/exports', name: 'exports', component: blank },
      { path: '/larder/firmware', name: 'firmware', component: blank },
      { path: '/larder/seal', name: 'seal', component: blank },
      { path: '/larder/order', name: 'order', component: blank },
      { path: '/larder/compare/:id/:other', name: 'compare', component: blank },
      { path: '/larder/sets/:id', name: 'set', component: blank },
      { path: '/larder/sets/:id/:partition', name: 'inside', component: blank },
      { path: '/jobs/:id?', name: 'jobs', component: blank },
      { path: '/labels/sets/:id', name: 'set-label', component: blank },
      { path: '/labels/jobs/:id', name: 'job-label', component: blank },
      { path: '/help', name: 'help', component: blank },
      { path: '/people', name: 'people', component: blank },
      { path: '/runs/:id?', name: 'runs', component: blank },
      { path: '/practice', name: 'practice', component: blank },
    ],
  });
  await router.push(address);
  const shown = mount(component, { props, global: { plugins: [router] }, attachTo: document.body });
  await flushPromises();
  return shown;
}

/** The sheets that the server would compute, by the very code that computes them. */
export const sheets = {
  imaging:
    (over: { facts?: PhoneFacts; labels?: string[]; freeBytes?: number } = {}) =>
    ({ picked, label }: ImagingRequest) =>
      imagingSheet({
        phone: over.facts ?? facts,
        partitions,
        picked,
        label,
        larder: { labels: over.labels ?? [], identityKept: ['efs'] },
        shelf: { freeBytes: over.freeBytes ?? 2 ** 40 },
        bytesPerSecond: 37 * MiB,
      }),
  restoring:
    (over: { facts?: PhoneFacts; set?: SetDetail; others?: readonly SetDetail[] } = {}) =>
    ({ puts, restartAfter, activate }: RestoringRequest) => {
      const from = over.set ?? set();
      return restoringSheet({
        phone: over.facts ?? facts,
        partitions,
        images: puts.map(({ partition, setId }) => {
          const of = over.others?.find(({ id }) => id === setId) ?? from;
          const found = of.images.find((each) => each.partition === partition)!;
          return {
            ...found,
            onto: partition,
            damaged: found.damage !== undefined,
            set: { ...of, setId: of.id, partitions: of.images.map((each) => each.partition) },
          };
        }),
        activate,
        restartAfter,
        userDataKept: undefined,
        bytesPerSecond: 37 * MiB,
      });
    },
};
