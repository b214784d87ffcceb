import { useEventListener } from '@vueuse/core';

/** A key and what it does, as the sheet of keys tells. */
export interface Shortcut {
  readonly keys: string;
  readonly does: string;
}

/** After `g`, where each key leads. */
const places = {
  b: { path: '/bench', name: 'Bench' },
  f: { path: '/larder/find', name: 'Find' },
  j: { path: '/jobs', name: 'Jobs' },
  l: { path: '/larder', name: 'Larder' },
  r: { path: '/runs', name: 'Runs' },
  p: { path: '/practice', name: 'Practice bench' },
  h: { path: '/help', name: 'Help' },
} as const;

/** Where keys are letters; a ticked box keeps none of them. */
const typedInto = 'input:not([type="checkbox"], [type="radio"]), textarea, [contenteditable]';
const filterField = 'input[data-filter], [data-filter] input';

/** Does what the tray's button says. */
export const isStartKey = ({ key, ctrlKey }: KeyboardEvent): boolean => key === 'Enter' && ctrlKey;

/** Every key that does something, in the order of the sheet. */
export const shortcuts: readonly Shortcut[] = [
  { keys: 'Ctrl K', does: 'Go to any page, phone or set, or do something, by typing' },
  { keys: '?', does: 'Keys and marks' },
  {
    keys: `g then ${Object.keys(places).join(', ')}`,
    does: `Go to ${Object.values(places)
      .map(({ name }) => name)
      .join(', ')}`,
  },
  { keys: '/', does: 'Filter the larder' },
  { keys: 'Tab', does: 'From the map to the table to the tray' },
  { keys: 'Arrow keys', does: 'From jar to jar on the storage map' },
  { keys: 'Space', does: 'Pick or leave the jar or row' },
  { keys: 'Shift and click', does: 'Pick all apps or copies from the row that was ticked before' },
  { keys: 'Ctrl Enter', does: 'Do what the tray’s button says, when nothing stands in the way' },
  { keys: 'Esc', does: 'Close a dialog, leave a field' },
];

/** Listens for the keys that work everywhere; those that are letters alone, not while somebody types. */
export function useGlobalKeys({
  showSheet,
  showPalette,
  go,
}: {
  showSheet: () => void;
  showPalette: () => void;
  go: (path: string) => void;
}): void {
  let afterG = false;
  useEventListener('keydown', (event: KeyboardEvent) => {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      showPalette();
      return;
    }
    const typing = (event.target as HTMLElement).closest(typedInto);
    if (typing || event.metaKey || event.altKey || event.ctrlKey) return;
    const { key } = event;
    if (key === '?') showSheet();
    else if (afterG && key in places) go(places[key as keyof typeof places].path);
    else if (key === '/') {
      const filter = document.querySelector<HTMLInputElement>(filterField);
      if (filter) {
        event.preventDefault();
        filter.focus();
      }
    }
    afterG = key === 'g';
  });
}
