import type { ThroughWhat } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { WaitingProgram } from '@keen-larder/core/runsheet/apps/waiting.ts';
import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { AppView } from '@keen-larder/contract/copies.ts';
import type { AppAction } from '@keen-larder/core/apps/built-in.ts';
import type { AppOrder } from '@keen-larder/core/apps/facets.ts';
import type { AppDoing, WhatOfApp } from '@keen-larder/core/runsheet/run-sheets.ts';
import type { Purpose } from '@keen-larder/core/apps/purposes/purposes.ts';
import type { PhoneUser } from '@keen-larder/core/phone/users/users.ts';
import { api } from '../api/client.ts';

/** What is chosen in one phone's list of apps, kept while one looks elsewhere. */
export interface AppsDraft {
  /** Whose apps are shown: 0 is the phone's owner. */
  user: number;
  search: string;
  /** As `kind:owner`. */
  facets: string[];
  order: AppOrder;
  descending: boolean;
  /** Also what was set aside. */
  withAside: boolean;
  /** The package that the tray tells about while nothing is picked. */
  shown: string | undefined;
  /** Packages, whether or not the facets show them. */
  picked: string[];
  confirmed: string[];
  doing: AppDoing;
  /** What is done to those that are there. */
  action: AppAction;
  /** What of each app. */
  what: WhatOfApp;
  /** What of single apps where it is another, by package; undefined while it is the same for all. */
  whatOf: Record<string, WhatOfApp> | undefined;
  /** With the data also what lies on shared storage for it. */
  withShared: boolean;
  /** Copies that are wanted instead of the newest, by package. */
  copyOf: Record<string, string>;
  /** How data goes back where the system gives no root. */
  through: ThroughWhat | undefined;
  /** Their Android ids go back as well. */
  withIds: boolean;
  armedWith: string;
  /** Programs that wait on the phone and are to be installed, by package. */
  ofWaiting: string[];
}

/** Apps of the phones that were asked. */
export const useApps = defineStore('apps', () => {
  const lists = shallowRef<Readonly<Record<string, readonly AppView[]>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const busy = ref<Record<string, boolean>>({});
  const drafts = ref<Record<string, AppsDraft>>({});
  /** Of phones whose system runs; their owners first. */
  const users = shallowRef<Readonly<Record<string, readonly PhoneUser[]>>>({});
  const purposes = shallowRef<readonly Purpose[]>([]);
  /** Programs that wait on phones. */
  const waiting = ref<Record<string, readonly WaitingProgram[]>>({});
  const asked: Record<string, number> = {};

  /** What pre-installed apps are for; nothing where it cannot be told. */
  async function loadPurposes(): Promise<void> {
    purposes.value = await api.purposes().catch(() => purposes.value);
  }

  async function load(serial: string): Promise<void> {
    const turn = (asked[serial] = (asked[serial] ?? 0) + 1);
    busy.value[serial] = true;
    try {
      const [found, list] = await Promise.all([
        api.users(serial).catch(() => []),
        api.apps(serial, draft(serial).user),
      ]);
      if (turn !== asked[serial]) return;
      users.value = { ...users.value, [serial]: found };
      lists.value = { ...lists.value, [serial]: list };
      errors.value[serial] = undefined;
    } catch (error) {
      if (turn === asked[serial]) errors.value[serial] = (error as Error).message;
    } finally {
      if (turn === asked[serial]) busy.value[serial] = false;
    }
  }

  function draft(serial: string): AppsDraft {
    drafts.value[serial] ??= {
      user: 0,
      search: '',
      facets: [],
      order: 'label',
      descending: false,
      withAside: false,
      shown: undefined,
      picked: [],
      confirmed: [],
      doing: 'copy',
      action: 'disable',
      what: 'both',
      whatOf: undefined,
      withShared: false,
      copyOf: {},
      through: undefined,
      withIds: false,
      armedWith: '',
      ofWaiting: [],
    };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial];
  }

  /** Shows the apps of another user; what was picked was somebody else's. */
  async function showUser(serial: string, user: number): Promise<void> {
    const nothing = { picked: [], confirmed: [], copyOf: {}, shown: undefined, armedWith: '' };
    Object.assign(draft(serial), { user, ...nothing });
    lists.value = Object.fromEntries(Object.entries(lists.value).filter(([of]) => of !== serial));
    await load(serial);
  }

  async function startUser(serial: string, user: number): Promise<void> {
    users.value = { ...users.value, [serial]: await api.startUser(serial, user) };
    await load(serial);
  }

  /** The app in the tray. */
  const inTray = (serial: string): AppView | undefined =>
    lists.value[serial]?.find((app) => app.package === drafts.value[serial]?.shown);

  /** What is picked, in the order of the list. */
  const pickedOf = (serial: string): AppView[] =>
    (lists.value[serial] ?? []).filter((app) => drafts.value[serial]?.picked.includes(app.package));

  return {
    purposes,
    loadPurposes,
    users,
    showUser,
    startUser,
    pickedOf,
    waiting,
    lists,
    errors,
    busy,
    load,
    draft,
    inTray,
  };
});
