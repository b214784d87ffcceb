<script setup lang="ts">
import { certainties, type Certainty, type Purpose } from '@keen-larder/core/apps/purposes/purposes.ts';
import { api } from '../../../api/client.ts';
import EntriesDialog, { type EntryColumn } from './EntriesDialog.vue';

/** The list of what pre-installed apps are for. */
const emit = defineEmits<{ close: []; saved: [] }>();
const of = (what: string) => (row: Readonly<Record<string, string>>, i: number) =>
  `${what} of ${row['pattern'] || `row ${i + 1}`}`;
const columns: readonly EntryColumn[] = [
  {
    key: 'pattern',
    title: 'Package',
    label: (_, i) => `Package of row ${i + 1}`,
    ...{ most: 255, lines: 3, isCode: true },
  },
  { key: 'kind', title: 'Kind', label: of('Kind'), most: 40, lines: 2 },
  { key: 'purpose', title: 'What it is for', label: of('Purpose'), most: 200, lines: 3 },
  { key: 'dependents', title: 'What misses it', label: of('What misses it,'), most: 200, lines: 3 },
  { key: 'certainty', title: 'How sure', label: of('Certainty'), choices: certainties },
];
const rowOf = (entry: Purpose) => ({ ...entry });
const entryOf = (row: Readonly<Record<string, string>>): Purpose | undefined => {
  const [pattern = '', kind = '', purpose = '', dependents = ''] = [
    row['pattern'],
    row['kind'],
    row['purpose'],
    row['dependents'],
  ].map((text) => text?.trim());
  return pattern || purpose
    ? { pattern, kind, purpose, dependents, certainty: row['certainty'] as Certainty }
    : undefined;
};
const isEntry = (value: Record<string, unknown>) =>
  ['pattern', 'kind', 'purpose', 'dependents'].every((key) => typeof value[key] === 'string') &&
  (certainties as readonly unknown[]).includes(value['certainty']);
</script>

<template>
  <EntriesDialog
    title="What pre-installed apps are for"
    file-name="purposes.json"
    :columns="columns"
    :load="() => api.purposes()"
    :save="(list: Purpose[]) => api.changePurposes(list)"
    :row-of="rowOf"
    :entry-of="entryOf"
    :key-of="({ pattern }: Purpose) => pattern"
    :is-entry="isEntry"
    must-be='a list of purposes: it must be JSON, a list of {"pattern", "kind", "purpose", "dependents", "certainty"}'
    :new-row="{ pattern: '', kind: '', purpose: '', dependents: '', certainty: 'guessed' }"
    @close="emit('close')"
    @saved="emit('saved')"
  >
    By package, or with * behind the beginning of several; the package itself counts before any such
    beginning. What is of one kind is turned off together. Parts of the platform are told as its own sources
    do; the others are invented, as the demo’s apps are: put in what you know, or take in a file.
  </EntriesDialog>
</template>
