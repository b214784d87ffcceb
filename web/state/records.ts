import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { RecordsOnPhone, RecordsView } from '@keen-larder/contract/copies.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { api } from '../api/client.ts';

/** What is picked among one phone's records. */
export interface RecordsDraft {
  picked: string[];
  doing: 'keep' | 'put-back';
  /** Copies that are wanted instead of the newest, by kind. */
  copyOf: Partial<Record<RecordKindId, string>>;
  confirmed: string[];
  armedWith: string;
}

/** Personal records of the phones that were asked. */
export const useRecords = defineStore('records', () => {
  const lists = shallowRef<Readonly<Record<string, readonly RecordsOnPhone[]>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const drafts = ref<Record<string, RecordsDraft>>({});

  function draft(serial: string): RecordsDraft {
    drafts.value[serial] ??= { picked: [], doing: 'keep', copyOf: {}, confirmed: [], armedWith: '' };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial];
  }

  async function load(serial: string): Promise<void> {
    try {
      lists.value = { ...lists.value, [serial]: await api.records(serial) };
      errors.value[serial] = undefined;
    } catch (error) {
      errors.value[serial] = (error as Error).message;
    }
  }

  /** The copy that would go back. */
  const copyOf = (serial: string, { kind, copies }: RecordsOnPhone): RecordsView | undefined =>
    copies.find(({ id }) => id === drafts.value[serial]?.copyOf[kind]) ?? copies[0];

  return { lists, errors, draft, load, copyOf };
});
