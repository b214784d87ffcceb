import { computed, type WatchSource } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { AppView, CopyView } from '@keen-larder/contract/copies.ts';
import { aboutText, sizeText } from '@keen-larder/core/bytes/units.ts';
import type { PartKind } from '@keen-larder/core/apps/copies.ts';
import { isAbleTo, partsOf, type RunSheet, type WhatOfApp } from '@keen-larder/core/runsheet/run-sheets.ts';
import { useApps } from '../../../state/apps.ts';
import { useLarder } from '../../../state/larder.ts';

const countOf = ({ length }: readonly unknown[]) => `${length} ${length === 1 ? 'app' : 'apps'}`;

/** What is picked among a phone's apps, for the trays that do something with them. */
export function usePickedApps(phone: () => PhoneView) {
  const store = useApps();
  const larder = useLarder();
  const serial = computed(() => phone().serial);
  const draft = computed(() => store.draft(serial.value));
  const picked = computed(() => store.pickedOf(serial.value));
  const able = computed(() =>
    picked.value.filter((app) => isAbleTo(draft.value.doing, draft.value.action, app)),
  );
  const unable = computed(() => picked.value.length - able.value.length);
  const whatOf = (name: string): WhatOfApp => draft.value.whatOf?.[name] ?? draft.value.what;

  return {
    serial,
    draft,
    able,
    unable,
    whatOf,
    partsOf: (name: string): PartKind[] => partsOf(whatOf(name), draft.value.withShared),
    copyOf: ({ package: name, copies }: AppView): CopyView =>
      copies.find(({ id }) => id === draft.value.copyOf[name]) ?? copies[0]!,
    title: computed(() => `Tray · ${countOf(picked.value)} picked`),
    count: computed(() => countOf(able.value)),
    /** The figures of a sheet about them. @param what what its bytes are */
    figuresOf(sheet: RunSheet | undefined, what: string) {
      if (!sheet || able.value.length === 0) return [];
      const { bytes, expectedMs } = sheet;
      const exact = `${bytes.toLocaleString('en')} bytes`;
      return [
        { value: sizeText(bytes), name: what, exact },
        { value: aboutText(expectedMs), name: 'unattended' },
      ];
    },
    /** Whatever a sheet about them must be computed anew for. */
    sources: [
      () => {
        const {
          action,
          what,
          whatOf: single,
          withShared,
          through,
          picked: names,
          copyOf,
          withIds,
        } = draft.value;
        return [action, what, single, withShared, through, names, copyOf, withIds];
      },
      () => store.lists[serial.value],
      () => phone().facts,
      () => larder.version,
    ] satisfies WatchSource[],
    /** A run was started with them. */
    started(): void {
      draft.value.picked = [];
      draft.value.confirmed = [];
      draft.value.armedWith = '';
    },
  };
}

export type PickedApps = ReturnType<typeof usePickedApps>;

export const whatWords: Readonly<Record<WhatOfApp, string>> = {
  both: 'Program and data',
  data: 'Data',
  program: 'Program',
};
