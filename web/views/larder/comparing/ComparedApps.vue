<script setup lang="ts">
import { shallowRef } from 'vue';
import type { AppDifference } from '@keen-larder/core/larder/comparing/apps.ts';
import { api } from '../../../api/client.ts';

/** Apps of two user datas that are not the same. */
const props = defineProps<{ id: string; other: string; partition: string }>();
const apps = shallowRef<readonly AppDifference[]>();
// What is no user data that can be read has no apps either: its files say why.
void api
  .compareApps(props.id, props.other, props.partition)
  .then((found) => (apps.value = found))
  .catch(() => undefined);

const stateWords = { added: 'came', gone: 'went', changed: 'changed' } as const;
const versionText = (version: AppDifference['before']) =>
  version ? (version.versionName ?? String(version.versionCode)) : '–';
const short = (permission: string) => permission.replace(/^android\.permission\./, '');
const grantsText = ({ gained, lost }: AppDifference) =>
  [...gained.map((each) => `+ ${short(each)}`), ...lost.map((each) => `− ${short(each)}`)].join(', ');
const dataText = ({ changedFiles }: AppDifference) =>
  changedFiles === 0 ? '–' : `${changedFiles} ${changedFiles === 1 ? 'file' : 'files'}`;
</script>

<template>
  <template v-if="apps">
    <table v-if="apps.length" aria-label="Apps that differ">
      <thead>
        <tr>
          <th>App</th>
          <th>Result</th>
          <th>First</th>
          <th>Second</th>
          <th>Granted</th>
          <th>Data that differs</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in apps" :key="each.package">
          <td>{{ each.label }} <code class="soft">{{ each.package }}</code></td>
          <td>{{ stateWords[each.state] }}</td>
          <td>{{ versionText(each.before) }}</td>
          <td>{{ versionText(each.after) }}</td>
          <td>{{ grantsText(each) || '–' }}</td>
          <td>{{ dataText(each) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft">The same apps, with the same grants and data.</p>
  </template>
</template>

<style scoped src="./table.css"></style>

<style scoped>
table {
  width: 100%;
}

th,
td {
  padding: 4px 8px;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
}
</style>
