<script setup lang="ts">
import { ElButton, ElDialog, ElInput } from 'element-plus';
import { X } from 'lucide-vue-next';
import { onMounted, ref } from 'vue';
import type { Tracker } from '@keen-larder/core/apps/trackers.ts';
import { api } from '../../api/client.ts';

/** The list of trackers that are looked for in apps: to read, to change, to hand on as a file. */
const emit = defineEmits<{ close: []; saved: [] }>();

interface Row {
  name: string;
  purpose: string;
  /** One to a line. */
  prefixes: string;
}

const rows = ref<Row[]>([]);
const error = ref<string>();
const busy = ref(true);
const picker = ref<HTMLInputElement>();

const rowOf = ({ name, purpose, prefixes }: Tracker): Row => ({
  name,
  purpose,
  prefixes: prefixes.join('\n'),
});
const listed = (): Tracker[] =>
  rows.value
    .filter(({ name, prefixes }) => name.trim() || prefixes.trim())
    .map(({ name, purpose, prefixes }) => ({
      name: name.trim(),
      purpose: purpose.trim(),
      prefixes: prefixes.split(/\s+/).filter(Boolean),
    }));

/** Shows what goes wrong in the dialog itself. */
async function attempt(work: () => Promise<void>): Promise<void> {
  busy.value = true;
  try {
    await work();
    error.value = undefined;
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
onMounted(() => attempt(async () => void (rows.value = (await api.trackers()).map(rowOf))));

const save = () =>
  attempt(async () => {
    await api.changeTrackers(listed());
    emit('saved');
    emit('close');
  });

function hand(): void {
  const url = URL.createObjectURL(
    new Blob([`${JSON.stringify(listed(), null, 2)}\n`], { type: 'application/json' }),
  );
  const link = document.createElement('a');
  [link.href, link.download] = [url, 'trackers.json'];
  link.click();
  URL.revokeObjectURL(url);
}

/** Entries of a file come in place of those of the same name; nothing counts before it is saved. */
const take = (file: File | undefined) =>
  attempt(async () => {
    if (!file) return;
    const came = trackersIn(await file.text(), file.name);
    const names = new Set(came.map(({ name }) => name));
    rows.value = [...rows.value.filter(({ name }) => !names.has(name.trim())), ...came.map(rowOf)];
  });

function trackersIn(text: string, name: string): Tracker[] {
  const wrong = new Error(
    `${name} is not a list of trackers: it must be JSON, a list of {"name", "purpose", "prefixes"}.`,
  );
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw wrong;
  }
  const isTracker = (each: unknown): each is Tracker => {
    const { name: called, purpose, prefixes } = (each ?? {}) as Record<string, unknown>;
    return (
      typeof called === 'string' &&
      typeof purpose === 'string' &&
      Array.isArray(prefixes) &&
      prefixes.every((prefix) => typeof prefix === 'string')
    );
  };
  if (!Array.isArray(value) || !value.every(isTracker)) throw wrong;
  return value;
}

function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  void take(input.files?.[0]);
  input.value = '';
}
</script>

<template>
  <ElDialog model-value title="Known trackers" width="720" append-to-body @close="emit('close')">
    <p class="soft">
      A tracker is known by what the names of its classes begin with, whole words between the dots. The list
      that comes along is invented, as the demo’s apps are: put in what you know, or take in a file.
    </p>
    <table class="facts">
      <thead>
        <tr>
          <th>Name</th>
          <th>What it does</th>
          <th>Its classes begin with</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, i) in rows" :key="i">
          <td>
            <ElInput
              v-model="row.name"
              size="small"
              :aria-label="`Name of tracker ${i + 1}`"
              maxlength="60"
            />
          </td>
          <td>
            <ElInput
              v-model="row.purpose"
              type="textarea"
              size="small"
              :autosize="{ minRows: 1, maxRows: 3 }"
              :aria-label="`What ${row.name || 'it'} does`"
              maxlength="200"
            />
          </td>
          <td>
            <ElInput
              v-model="row.prefixes"
              type="textarea"
              size="small"
              :autosize="{ minRows: 1, maxRows: 6 }"
              class="code"
              spellcheck="false"
              :aria-label="`Class names of ${row.name || 'it'} begin with`"
            />
          </td>
          <td>
            <ElButton
              size="small"
              text
              :aria-label="`Remove ${row.name || 'this row'}`"
              @click="rows.splice(i, 1)"
              ><X :size="15" aria-hidden="true"
            /></ElButton>
          </td>
        </tr>
      </tbody>
    </table>
    <p>
      <ElButton size="small" @click="rows.push({ name: '', purpose: '', prefixes: '' })">Add one</ElButton>
    </p>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template #footer>
      <div class="foot">
        <input ref="picker" type="file" accept=".json,application/json" hidden @change="picked" />
        <ElButton @click="picker?.click()">Take in a file…</ElButton>
        <ElButton @click="hand">Save as a file</ElButton>
        <ElButton class="end" @click="emit('close')">Leave as it was</ElButton>
        <ElButton type="primary" :loading="busy" @click="save">Keep the list</ElButton>
      </div>
    </template>
  </ElDialog>
</template>

<style scoped>
table {
  margin: 10px 0 8px;
}

td {
  padding: 3px 8px 3px 0;
  vertical-align: top;
}

.code {
  font-family: var(--mono);
}

.error {
  margin-top: 8px;
  color: var(--beetroot);
}

.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}

.end {
  margin-left: auto;
}
</style>
