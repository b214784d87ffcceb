import { useDark } from '@vueuse/core';
import { computed, type ComputedRef } from 'vue';
import { useRouter, type RouteLocationRaw } from 'vue-router';
import { abilitiesOf, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { purposeNames } from '@keen-larder/core/runsheet/purposes.ts';
import { api } from '../api/client.ts';
import { useBench } from '../state/bench.ts';
import { useJobs } from '../state/jobs.ts';
import { useLarder } from '../state/larder.ts';
import { announceError } from '../state/notices/notices.ts';
import { useRuns } from '../state/runs.ts';
import { runStates } from '../parts/run-words.ts';
import type { PaletteEntry } from './palette.ts';

/** Pages by where they are. */
const pages: readonly (readonly [title: string, path: string, also?: string])[] = [
  ['Bench', '/bench', 'overview what needs hands'],
  ['Connections', '/connections', 'connect usb wireless pair address'],
  ['Larder', '/larder', 'sets labels'],
  ['Find', '/larder/find', 'search names of files checksum'],
  ['Import', '/larder/import', 'files drop'],
  ['Firmware', '/larder/firmware', 'model build'],
  ['Order', '/larder/order', 'keep rules bin scrub room due'],
  ['Off-site', '/larder/off-site', 'bucket second copy disk'],
  ['Exports', '/larder/exports', 'folders drives'],
  ['Seal', '/larder/seal', 'passphrase lock encrypt'],
  ['Copies of apps and records', '/larder/copies'],
  ['Jobs', '/jobs', 'cards customers visits'],
  ['Runs', '/runs', 'log history'],
  ['Help', '/help', 'guide words keys marks manual'],
  ['People', '/people', 'operators sign in passphrase record who did what'],
];

/** Of a phone, by the names of their routes. */
const tabs: readonly (readonly [name: string, title: string])[] = [
  ['bench', 'Storage'],
  ['apps', 'Apps'],
  ['leftovers', 'Leftovers of removed apps'],
  ['records', 'Records'],
  ['shared', 'Photos and files onto it'],
  ['move', 'Move'],
  ['rescue', 'Rescue'],
  ['bootloader', 'Bootloader'],
  ['past', 'Past'],
  ['details', 'Details'],
];

const restartInto: readonly PhoneMode[] = ['recovery', 'system', 'bootloader'];
/** Of those that have ended. */
const lastRuns = 30;

/** Everything that can be got to or done by typing. */
export function usePaletteEntries(
  hasPractice: () => boolean,
  showKeys: () => void,
): ComputedRef<PaletteEntry[]> {
  const router = useRouter();
  const bench = useBench();
  const larder = useLarder();
  const jobs = useJobs();
  const runs = useRuns();
  const isDark = useDark();
  const to = (place: RouteLocationRaw) => () => void router.push(place);

  const ofPages = computed((): PaletteEntry[] =>
    [
      ...pages,
      ...(hasPractice() ? [['Practice bench', '/practice', 'simulated phones faults'] as const] : []),
    ].map(([title, path, also]) => ({
      id: path,
      title,
      kind: 'page',
      ...(also && { also }),
      open: to(path),
    })),
  );
  const ofPhones = computed((): PaletteEntry[] =>
    [...bench.present, ...bench.away].flatMap(({ serial, nickname, maker, model, presence, facts }) => {
      const also = `${serial} ${maker} ${model}`;
      const places = tabs.map(([name, title]) => ({
        id: `${name} ${serial}`,
        title: name === 'bench' ? nickname : `${nickname} › ${title}`,
        kind: presence === 'away' ? 'phone, away' : 'phone',
        also: `${also} ${title}`,
        open: to({ name, params: { serial } }),
      }));
      const restarts =
        presence === 'here'
          ? restartInto
              .filter((mode) => mode !== facts?.mode)
              .map((mode) => ({
                id: `restart ${serial} ${mode}`,
                title: `Restart ${nickname} into ${mode}`,
                kind: 'action',
                also: `${also} reboot`,
                open: () => void api.restart(serial, mode).catch(announceError),
              }))
          : [];
      const picks =
        presence === 'here' && facts && abilitiesOf(facts.mode, facts.root).read
          ? Object.entries(purposeNames).map(([id, name]) => ({
              id: `keep ${serial} ${id}`,
              title: `Keep of ${nickname}: ${name.toLowerCase()}`,
              kind: 'action',
              also: `${also} image pick`,
              open: to({ name: 'bench', params: { serial }, query: { keep: id } }),
            }))
          : [];
      return [...places, ...picks, ...restarts];
    }),
  );
  const ofSets = computed((): PaletteEntry[] =>
    larder.sets.map(({ id, label, nickname, serial, condition, fingerprint, firmware }) => ({
      id: `set ${id}`,
      title: label,
      kind: firmware ? 'firmware' : 'set',
      also: `${nickname} ${serial} ${condition.build ?? ''} ${fingerprint}`,
      open: to({ name: 'set', params: { id } }),
    })),
  );
  const ofRuns = computed((): PaletteEntry[] =>
    [...runs.live, ...runs.list.filter(({ endedAt }) => endedAt !== undefined).slice(0, lastRuns)].map(
      ({ id, title, nickname, state }) => ({
        id: `run ${id}`,
        title,
        kind: `run, ${runStates[state]}`,
        also: nickname ?? '',
        open: to({ name: 'runs', params: { id } }),
      }),
    ),
  );
  const ofJobs = computed((): PaletteEntry[] =>
    (jobs.list ?? []).map(({ id, number, who, stage, phones, complaint }) => ({
      id: `job ${id}`,
      title: `Job ${number} · ${who}`,
      kind: `job card, ${stage}`,
      also: `${phones.map(({ nickname, serial }) => `${nickname} ${serial}`).join(' ')} ${complaint}`,
      open: to({ name: 'jobs', params: { id } }),
    })),
  );
  const actions = computed((): PaletteEntry[] => [
    {
      id: 'theme',
      title: isDark.value ? 'Light theme' : 'Dark theme',
      kind: 'action',
      also: 'colours',
      open: () => (isDark.value = !isDark.value),
    },
    { id: 'keys', title: 'Keys and marks', kind: 'help', also: 'shortcuts keyboard legend', open: showKeys },
  ]);
  return computed(() => [
    ...ofPages.value,
    ...ofPhones.value,
    ...actions.value,
    ...ofJobs.value,
    ...ofSets.value,
    ...ofRuns.value,
  ]);
}
