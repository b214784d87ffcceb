<script setup lang="ts">
import { ElInput } from 'element-plus';
import { computed, ref, watch } from 'vue';
import { userOf } from '@keen-larder/core/apps/ids.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import CodeFindings from './CodeFindings.vue';
import CopyText from '../../parts/CopyText.vue';
import HomeRows from './HomeRows.vue';
import PermissionKinds from './PermissionKinds.vue';
import SizeText from '../../parts/SizeText.vue';
import { exactTime } from '../../parts/time.ts';
import { changeKept, type KeptCopy } from '../../state/larder/copies.ts';
import { announceError } from '../../state/notices/notices.ts';
import FigureGrid from '../FigureGrid.vue';
import TrayFrame from '../TrayFrame.vue';

/** What is known of a copy that was chosen. */
const props = defineProps<{ copy: KeptCopy }>();
const view = computed(() => props.copy.view);
const app = computed(() => ('app' in view.value ? view.value.app : undefined));
const records = computed(() => ('records' in view.value ? view.value.records : undefined));
const hasProgram = computed(() => view.value.parts.some(({ kind }) => String(kind) === 'program'));
const note = ref('');
watch(
  () => [props.copy.id, view.value.note] as const,
  ([, text]) => (note.value = text),
  { immediate: true },
);
const keepNote = () => {
  if (note.value !== view.value.note) void changeKept(props.copy, { note: note.value }).catch(announceError);
};

const figures = computed(() => [
  {
    value: sizeText(view.value.bytes),
    name: 'copied',
    exact: `${view.value.bytes.toLocaleString('en')} bytes`,
  },
  { value: sizeText(view.value.addedBytes), name: 'new on the shelf' },
]);
const origins = { phone: 'from the phone', image: 'out of a kept image', imported: 'from files' } as const;
const facts = computed(() => [
  ['Of', `${view.value.nickname} · ${view.value.serial}`],
  ['Taken', `${exactTime(view.value.createdAt)}, ${origins[view.value.origin]}`],
  ...(app.value?.isAsGiven ? [['Data', 'as the phone’s own backup gave it, not compared'] as const] : []),
  ...(view.value.by ? [['By', view.value.by]] : []),
  ...(app.value
    ? [
        ['Version', `${app.value.versionName ?? 'unnamed'} (${app.value.versionCode})`],
        ['Installed', app.value.isBuiltIn ? 'pre-installed' : 'by the user'],
        ['State', app.value.isEnabled ? 'enabled' : 'disabled'],
        ...(app.value.user ? [['User', `${app.value.user.name} (user ${userOf(app.value.uid)})`]] : []),
        ['User id', String(app.value.uid || '–')],
      ]
    : []),
  ...(records.value ? [['Count', String(records.value.count ?? '–')]] : []),
]);
const look = () => api.codeOfCopy(props.copy.id);
</script>

<template>
  <TrayFrame :title="`Tray · copy of ${copy.title}`">
    <div>
      <strong class="title">{{ copy.title }}</strong>
      <CopyText v-if="app" :value="app.package" name="package name" />
    </div>
    <p v-for="each in copy.damage" :key="each" class="damage" role="alert">{{ each }}</p>
    <p v-if="view.binnedAt" class="damage">
      In the bin; deleted for good {{ binDays }} days after it was put there.
    </p>
    <FigureGrid :figures="figures" />
    <dl class="facts">
      <template v-for="[name, value] in facts" :key="name">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </template>
    </dl>
    <label class="note">
      <span class="soft">Note</span>
      <ElInput
        v-model="note"
        type="textarea"
        :autosize="{ minRows: 1, maxRows: 4 }"
        maxlength="2000"
        placeholder="What is to be remembered about it"
        @blur="keepNote"
      />
    </label>
    <h3>Holds</h3>
    <ul>
      <li v-for="part in view.parts" :key="part.name">
        <a v-if="copy.kind === 'records'" :href="downloads.record(copy.id, part.name)" download>{{
          part.name
        }}</a>
        <code v-else>{{ part.name }}</code>
        <SizeText :bytes="part.bytes" />
        <CopyText :value="part.sha256" name="SHA-256" short />
      </li>
    </ul>
    <template v-if="app">
      <h3>Permissions · {{ app.permissions.length }}</h3>
      <PermissionKinds :permissions="app.permissions" />
      <h3>At home again</h3>
      <HomeRows :app="app" :place="{ sdk: app.sdk, root: true }" />
      <template v-if="hasProgram">
        <h3>Trackers</h3>
        <CodeFindings :subject="copy.id" :load="look" />
      </template>
    </template>
    <template v-if="copy.kind === 'app'" #foot>
      <a :href="downloads.copy(copy.id)" download class="el-button el-button--primary go"
        >Export as an archive</a
      >
      <RouterLink :to="{ name: 'apps', params: { serial: view.serial } }" class="el-button go"
        >To the apps of {{ view.nickname }}</RouterLink
      >
    </template>
    <template v-else #foot>
      <RouterLink :to="{ name: 'records', params: { serial: view.serial } }" class="el-button go"
        >To the records of {{ view.nickname }}</RouterLink
      >
    </template>
  </TrayFrame>
</template>

<style scoped>
.title {
  display: block;
  font-size: 16px;
}

.damage {
  color: var(--beetroot);
  font-size: 12.5px;
}

.facts {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 3px 12px;
  font-size: 13px;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

.note {
  display: grid;
  gap: 3px;
  font-size: 12.5px;
}

h3 {
  margin-top: 4px;
  font-size: 13px;
}

ul {
  font-size: 12.5px;
}

li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 10px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
}

li code,
li a {
  overflow-wrap: anywhere;
}

.go {
  width: 100%;
  margin: 0 0 6px;
  text-decoration: none;
}
</style>
