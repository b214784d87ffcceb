import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { KeptShared } from '@keen-larder/contract/sets.ts';
import type { OnTop, SharedFolder } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../api/client.ts';

/** What of kept shared storage is to go onto one phone. */
export interface SharedDraft {
  /** The set that it was kept in; the phone's own newest while nothing else is chosen. */
  setId: string | undefined;
  /** Names of folders. */
  picked: string[];
  onTop: OnTop;
  confirmed: string[];
  armedWith: string;
}

/** Shared storage that was kept, and what of it goes onto which phone. */
export const useShared = defineStore('shared', () => {
  const kept = shallowRef<readonly KeptShared[]>();
  const error = ref<string>();
  /** By set. */
  const folders = shallowRef<Readonly<Record<string, readonly SharedFolder[]>>>({});
  const drafts = ref<Record<string, SharedDraft>>({});

  function draft(serial: string): SharedDraft {
    drafts.value[serial] ??= { setId: undefined, picked: [], onTop: 'leave', confirmed: [], armedWith: '' };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial];
  }

  /** The set that folders are picked from; undefined where there is none. */
  function chosen(serial: string): KeptShared | undefined {
    const all = kept.value ?? [];
    const { setId } = draft(serial);
    return all.find((each) => each.setId === setId) ?? all.find((each) => each.serial === serial) ?? all[0];
  }

  /** Also the folders of what is chosen. */
  async function load(serial: string): Promise<void> {
    try {
      kept.value = await api.keptShared();
      const set = chosen(serial);
      if (set) folders.value = { ...folders.value, [set.setId]: await api.sharedFolders(set.setId) };
      error.value = undefined;
    } catch (failure) {
      error.value = (failure as Error).message;
    }
  }

  async function choose(serial: string, setId: string): Promise<void> {
    Object.assign(draft(serial), { setId, picked: [], confirmed: [], armedWith: '' });
    await load(serial);
  }

  return { kept, error, folders, draft, chosen, load, choose };
});
