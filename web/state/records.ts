import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { RecordsOnPhone, RecordsView } from '@keen-larder/contract/copies.ts';
import type { RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { api } from '../api/client.ts';

/** What is picked among one phone's records. */
export interface RecordsDraft {
  picked: string[];
  doing: 'keep' | 'put-back';
  /** Another phone, whose copies are offered instead of this one's own; its serial. */
  from: string | undefined;
  /** Copies that are wanted instead of the newest, by kind. */
  copyOf: Partial<Record<RecordKindId, string>>;
  confirmed: string[];
  armedWith: string;
}

/** Whether a phone has any: as files, or told by a content provider. */
export const isOnPhone = ({ files, missing }: RecordsOnPhone): boolean =>
  files.length > 0 || missing !== undefined;

/** Personal records of the phones that were asked. */
export const useRecords = defineStore('records', () => {
  const lists = shallowRef<Readonly<Record<string, readonly RecordsOnPhone[]>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const drafts = ref<Record<string, RecordsDraft>>({});

  function draft(serial: string): RecordsDraft {
    drafts.value[serial] ??= {
      ...{ picked: [], doing: 'keep', from: undefined, copyOf: {} },
      ...{ confirmed: [], armedWith: '' },
    };
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

  /** Copies that are offered: the phone's own, or those of the phone that was chosen. Customers are apart. */
  const copiesOf = (serial: string, { copies }: RecordsOnPhone): RecordsView[] => {
    const from = drafts.value[serial]?.from ?? serial;
    return copies.filter((copy) => copy.serial === from);
  };

  /** The copy that would go back. */
  function copyOf(serial: string, row: RecordsOnPhone): RecordsView | undefined {
    const offered = copiesOf(serial, row);
    return offered.find(({ id }) => id === drafts.value[serial]?.copyOf[row.kind]) ?? offered[0];
  }

  /** Other phones of which there are copies, by serial. */
  const othersOf = (serial: string): Map<string, string> =>
    new Map(
      (lists.value[serial] ?? []).flatMap(({ copies }) =>
        copies.flatMap((copy): [string, string][] =>
          copy.serial === serial ? [] : [[copy.serial, copy.nickname]],
        ),
      ),
    );

  return { lists, errors, draft, load, copiesOf, copyOf, othersOf };
});
