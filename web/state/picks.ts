import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { Put } from '@keen-larder/contract/requests/restoring.ts';
import type { Slot } from '@keen-larder/core/boot/boot.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { inSlot } from '@keen-larder/core/phone/roles.ts';

/** What is picked for imaging on one phone. */
export interface ImagingPicks {
  picked: string[];
  purpose: string;
  /** The name when it was edited by hand; otherwise it is composed. */
  ownLabel: string | undefined;
  confirmed: string[];
  /** Of file systems that can be read, only the blocks in use. */
  usedOnly: boolean;
  /** Also what the phone proves to be as it was kept. */
  readAll: boolean;
  /** The run restarts the phone into this mode before it reads. */
  restartInto: PhoneMode | undefined;
}

/** What is picked for putting back from one set. */
export interface RestoringPicks {
  picked: string[];
  /** Images of other sets that go along. */
  others: Put[];
  serial: string | undefined;
  /** Images of a slot go into this one, which then starts; undefined where they stay in their own. */
  intoSlot: Slot | undefined;
  restartAfter: boolean;
  /** Images first what is about to be overwritten and is nowhere kept. */
  keepFirst: boolean;
  /** Writes also what the phone has already. */
  writeAll: boolean;
  /** User data is made anew before files are put back. */
  format: boolean;
  confirmed: string[];
  armedWith: string;
}

/** What is ticked and typed for locking or unlocking. */
export interface LockingPicks {
  picked: string[];
  confirmed: string[];
  armedWith: string;
}

/** What is in the tray, kept while one looks elsewhere. */
export const usePicks = defineStore('picks', () => {
  const imaging = ref<Record<string, ImagingPicks>>({});
  const restoring = ref<Record<string, RestoringPicks>>({});
  const locking = ref<Record<string, LockingPicks>>({});

  // What is put in is not what is watched: that is asked for anew.
  function forPhone(serial: string): ImagingPicks {
    imaging.value[serial] ??= {
      picked: [],
      purpose: 'before flash',
      ownLabel: undefined,
      confirmed: [],
      usedOnly: false,
      readAll: false,
      restartInto: undefined,
    };
    return imaging.value[serial];
  }

  function forPlan(key: string): RestoringPicks {
    restoring.value[key] ??= {
      picked: [],
      others: [],
      serial: undefined,
      intoSlot: undefined,
      restartAfter: true,
      keepFirst: true,
      writeAll: false,
      format: false,
      confirmed: [],
      armedWith: '',
    };
    return restoring.value[key];
  }
  const forSet = (id: string) => forPlan(id);
  const forRepair = (serial: string, repair: string) => forPlan(`${serial} ${repair}`);

  function forLocking(serial: string): LockingPicks {
    locking.value[serial] ??= { picked: [], confirmed: [], armedWith: '' };
    return locking.value[serial];
  }

  /** Adds names that are not picked yet, or takes out those that are. */
  function toggle(picks: { picked: string[]; confirmed: string[] }, name: string): void {
    set(
      picks,
      picks.picked.includes(name) ? picks.picked.filter((each) => each !== name) : [...picks.picked, name],
    );
  }

  /** Ticks were given for another pick; they do not carry over. */
  function set(picks: { picked: string[]; confirmed: string[] }, names: readonly string[]): void {
    picks.picked = [...names];
    picks.confirmed = [];
  }

  /** Leaves out whatever goes onto some partitions. */
  function leaveOut(
    picks: { picked: string[]; confirmed: string[]; others?: Put[]; intoSlot?: Slot | undefined },
    names: readonly string[],
  ): void {
    const stays = (name: string) => !names.includes(inSlot(name, picks.intoSlot));
    set(picks, picks.picked.filter(stays));
    if (picks.others) picks.others = picks.others.filter(({ partition }) => stays(partition));
  }

  return { leaveOut, forPhone, forSet, forRepair, forLocking, toggle, set };
});
