<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref, shallowRef } from 'vue';
import type { RecordLineView, RecordView } from '@keen-larder/contract/people.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import CopyText from '../../parts/CopyText.vue';
import TimeText from '../../parts/TimeText.vue';

/** What was done, and by whom: the newest first. */
const view = shallowRef<RecordView>();
const lines = shallowRef<readonly RecordLineView[]>([]);
const error = ref<string>();

async function load(before?: number): Promise<void> {
  try {
    view.value = await api.record(before);
    lines.value = before === undefined ? view.value.lines : [...lines.value, ...view.value.lines];
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
void load();
</script>

<template>
  <section aria-label="Record" class="record">
    <header>
      <h2>Record</h2>
      <a v-if="view?.count" :href="downloads.shopRecord" download class="export">Export</a>
    </header>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="view">
      <p v-if="view.brokenAt !== undefined" class="error" role="alert">
        The record was changed: line {{ view.brokenAt }}, or the one before it, is not as it was written.
      </p>
      <p v-else-if="view.count" class="soft">
        {{ view.count }} {{ view.count === 1 ? 'line' : 'lines' }}, each with the checksum of the one before;
        none was changed. Last line:
        <CopyText :value="view.head" name="the checksum of the last line" short />
      </p>
      <p v-else class="soft">Nothing was done yet. What is done is written here and never changed.</p>
      <table v-if="lines.length">
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>What</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in lines" :key="line.n">
            <td class="when"><TimeText :at="line.at" /></td>
            <td class="who">{{ line.who || 'this computer' }}</td>
            <td>
              {{ line.words }}<template v-if="line.on">: </template>
              <RouterLink v-if="line.on?.path" :to="line.on.path">{{ line.on.text }}</RouterLink>
              <template v-else-if="line.on">{{ line.on.text }}</template>
            </td>
          </tr>
        </tbody>
      </table>
      <ElButton v-if="(lines.at(-1)?.n ?? 1) > 1" size="small" @click="load(lines.at(-1)!.n)"
        >Earlier lines</ElButton
      >
    </template>
  </section>
</template>

<style scoped>
.record {
  display: grid;
  gap: 8px;
  margin-top: 24px;
}

header {
  display: flex;
  align-items: baseline;
  gap: 14px;
}

table {
  border-collapse: collapse;
}

th,
td {
  padding: 5px 14px 5px 0;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  vertical-align: baseline;
  overflow-wrap: anywhere;
}

.when,
.who {
  white-space: nowrap;
}

.record > :last-child {
  justify-self: start;
}
</style>
