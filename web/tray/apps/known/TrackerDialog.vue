<script setup lang="ts">
import type { Tracker } from '@keen-larder/core/apps/trackers.ts';
import { api } from '../../../api/client.ts';
import EntriesDialog, { type EntryColumn } from './EntriesDialog.vue';

/** The list of trackers that are looked for in apps. */
const emit = defineEmits<{ close: []; saved: [] }>();
const columns: readonly EntryColumn[] = [
  { key: 'name', title: 'Name', label: (_, i) => `Name of tracker ${i + 1}`, most: 60 },
  {
    key: 'purpose',
    title: 'What it does',
    label: ({ name }) => `What ${name || 'it'} does`,
    ...{ most: 200, lines: 3 },
  },
  {
    key: 'prefixes',
    title: 'Its classes begin with',
    label: ({ name }) => `Class names of ${name || 'it'} begin with`,
    ...{ lines: 6, isCode: true },
  },
];
/** Prefixes one to a line. */
const rowOf = ({ name, purpose, prefixes }: Tracker) => ({ name, purpose, prefixes: prefixes.join('\n') });
const entryOf = ({ name = '', purpose = '', prefixes = '' }: Readonly<Record<string, string>>) =>
  name.trim() || prefixes.trim()
    ? { name: name.trim(), purpose: purpose.trim(), prefixes: prefixes.split(/\s+/).filter(Boolean) }
    : undefined;
const isEntry = ({ name, purpose, prefixes }: Record<string, unknown>) =>
  typeof name === 'string' &&
  typeof purpose === 'string' &&
  Array.isArray(prefixes) &&
  prefixes.every((prefix) => typeof prefix === 'string');
</script>

<template>
  <EntriesDialog
    title="Known trackers"
    file-name="trackers.json"
    :columns="columns"
    :load="() => api.trackers()"
    :save="(list: Tracker[]) => api.changeTrackers(list)"
    :row-of="rowOf"
    :entry-of="entryOf"
    :key-of="({ name }: Tracker) => name"
    :is-entry="isEntry"
    must-be='a list of trackers: it must be JSON, a list of {"name", "purpose", "prefixes"}'
    :new-row="{ name: '', purpose: '', prefixes: '' }"
    @close="emit('close')"
    @saved="emit('saved')"
  >
    A tracker is known by what the names of its classes begin with, whole words between the dots. The list
    that comes along is invented, as the demo’s apps are: put in what you know, or take in a file.
  </EntriesDialog>
</template>
