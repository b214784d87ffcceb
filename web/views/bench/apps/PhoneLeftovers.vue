<script setup lang="ts">
import { ElButton, ElTable, ElTableColumn } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { LeftoverView } from '@keen-larder/contract/copies.ts';
import type { LeftoverKind, LeftoverNote } from '@keen-larder/core/apps/leftovers.ts';
import PickColumn from '../../../parts/table/PickColumn.vue';
import SizeText from '../../../parts/SizeText.vue';
import TimeText from '../../../parts/TimeText.vue';
import { useLeftovers } from '../../../state/apps/leftovers.ts';
import { usePicking, useReadFromSystem } from '../read-from-system.ts';
import NotInSystem from '../NotInSystem.vue';

/** What apps that are not installed any more have left on a phone: where, how much, and how one knows. */
const props = defineProps<{ phone: PhoneView }>();
const store = useLeftovers();
const { serial, isThere, hasRoot } = useReadFromSystem({
  phone: () => props.phone,
  needsRoot: true,
  load: (serial) => store.load(serial),
});
const draft = computed(() => store.draft(serial.value));
const rows = computed(() => store.lists[serial.value]);
const names = computed(() => (rows.value ?? []).map(({ package: name }) => name));
const bytes = computed(() => (rows.value ?? []).reduce((sum, each) => sum + each.bytes, 0));

const { pick, toggle } = usePicking(() => draft.value);

const kindWords: Readonly<Record<LeftoverKind, string>> = {
  data: 'data',
  'device-data': 'data before unlocking',
  external: 'shared storage',
  media: 'media',
  obb: 'expansion files',
  program: 'program',
  profile: 'compile profile',
};
const settingWords: Readonly<Record<string, string>> = {
  enabled_notification_listeners: 'reads notifications',
  enabled_accessibility_services: 'accessibility service',
  accessibility_button_targets: 'accessibility button',
  accessibility_shortcut_target_service: 'accessibility shortcut',
  enabled_vr_listeners: 'VR listener',
  autofill_service: 'fills in forms',
  nfc_payment_default_component: 'pays by NFC',
};
const noteWords = (note: LeftoverNote) =>
  note.kind === 'entry' ? 'entry of the package manager' : (settingWords[note.setting] ?? note.setting);
const wordsOf = ({ folders, notes }: LeftoverView) =>
  [...new Set([...folders.map(({ kind }) => kindWords[kind]), ...notes.map(noteWords)])].join(', ');
const placesOf = ({ folders, notes }: LeftoverView) =>
  [
    ...folders.map(({ path }) => path),
    ...notes.flatMap((note) =>
      note.kind === 'setting' ? `${note.setting} of user ${note.user}: ${note.component}` : [],
    ),
  ].join('\n');
</script>

<template>
  <section v-if="isThere" class="leftovers" aria-label="Leftovers">
    <RouterLink :to="{ name: 'apps', params: { serial } }" class="back">Apps</RouterLink>
    <h2>Leftovers of removed apps</h2>
    <p v-if="!hasRoot" class="soft">
      {{ phone.nickname }} gives no root: only root sees what apps left in folders of their own.
    </p>
    <p v-else-if="store.errors[serial]" class="error" role="alert">{{ store.errors[serial] }}</p>
    <p v-else-if="!rows" class="soft" role="status">Looking into the folders of apps…</p>
    <p v-else-if="rows.length === 0" role="status">
      Nothing is left over: each folder of an app, and each entry in the system’s lists, belongs to one that
      is installed.
    </p>
    <template v-else>
      <p class="sum" role="status">
        {{ rows.length }} {{ rows.length === 1 ? 'app' : 'apps' }} · <SizeText :bytes="bytes" />
      </p>
      <ElTable
        :data="[...rows]"
        size="small"
        row-key="package"
        :row-class-name="({ row }) => (draft.picked.includes((row as LeftoverView).package) ? 'picked' : '')"
      >
        <PickColumn
          what="leftovers"
          :names="names"
          :picked="draft.picked"
          :name-of="(row: LeftoverView) => row.package"
          @toggle="toggle"
          @all="pick"
        />
        <ElTableColumn label="Left by" min-width="250">
          <template #default="{ row }">
            <code class="package">{{ row.package }}</code>
            <span class="soft why">{{ row.why }}</span>
          </template>
        </ElTableColumn>
        <ElTableColumn label="Where" min-width="120">
          <template #default="{ row }">
            <span :title="placesOf(row as LeftoverView)">{{ wordsOf(row as LeftoverView) }}</span>
          </template>
        </ElTableColumn>
        <ElTableColumn label="Size" align="right" width="84">
          <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
        </ElTableColumn>
        <ElTableColumn label="Kept" width="104">
          <template #default="{ row }">
            <TimeText v-if="row.keptAt" :at="row.keptAt" />
            <span v-else class="soft">never</span>
          </template>
        </ElTableColumn>
      </ElTable>
    </template>
    <ElButton v-if="hasRoot" class="again" size="small" @click="store.load(serial)">Look again</ElButton>
  </section>
  <NotInSystem v-else :phone="phone" what="Leftovers" />
</template>

<style scoped>
.leftovers {
  display: grid;
  gap: 8px;
}

.back {
  justify-self: start;
  font-size: 13px;
}

h2 {
  font-size: 17px;
}

:deep(.picked td) {
  background: var(--action-tint);
}

.package {
  display: block;
  font-weight: 600;
  overflow-wrap: anywhere;
}

.why {
  display: block;
  font-size: 12.5px;
  line-height: 1.4;
}

.sum {
  font-size: 13.5px;
}

.again {
  justify-self: start;
}

.error {
  color: var(--beetroot);
}
</style>
