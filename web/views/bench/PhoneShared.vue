<script setup lang="ts">
import { ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { KeptShared } from '@keen-larder/contract/sets.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { folderText, type SharedFolder } from '@keen-larder/core/runsheet/run-sheets.ts';
import PickColumn from '../../parts/table/PickColumn.vue';
import SizeText from '../../parts/SizeText.vue';
import { useShared } from '../../state/shared.ts';
import NotInSystem from './NotInSystem.vue';
import { usePicking, useReadFromSystem } from './read-from-system.ts';

/** Photos, downloads and all else that apps share, as they were kept, by folders that go onto this phone. */
const props = defineProps<{ phone: PhoneView }>();
const store = useShared();
const { serial, isThere } = useReadFromSystem({
  phone: () => props.phone,
  load: (serial) => store.load(serial),
});
const draft = computed(() => store.draft(serial.value));
const set = computed(() => store.chosen(serial.value));
const rows = computed(() => set.value && store.folders[set.value.setId]);
const names = computed(() => (rows.value ?? []).map(({ name }) => name));
const { pick, toggle } = usePicking(() => draft.value);
const setText = ({ nickname, label, bytes }: KeptShared) => `${nickname}: ${label} · ${sizeText(bytes)}`;
</script>

<template>
  <section v-if="isThere" class="shared" aria-label="Photos and files">
    <RouterLink :to="{ name: 'records', params: { serial } }" class="back">Records</RouterLink>
    <h2>Photos, downloads and what apps share</h2>
    <p v-if="store.error" class="error" role="alert">{{ store.error }}</p>
    <p v-else-if="!store.kept" class="soft" role="status">Looking into the larder…</p>
    <p v-else-if="!set" role="status">
      No set has shared storage. <RouterLink :to="{ name: 'bench', params: { serial } }">Storage</RouterLink>
      keeps it: pick shared-storage there, with root or without.
    </p>
    <template v-else>
      <label class="from">
        <span class="soft">Kept</span>
        <ElSelect
          :model-value="set.setId"
          aria-label="Set that it comes from"
          @update:model-value="(id: string) => store.choose(serial, id)"
        >
          <ElOption v-for="each in store.kept" :key="each.setId" :value="each.setId" :label="setText(each)" />
        </ElSelect>
      </label>
      <ElTable
        :data="[...(rows ?? [])]"
        size="small"
        row-key="name"
        empty-text="Looking into its folders…"
        :row-class-name="({ row }) => (draft.picked.includes((row as SharedFolder).name) ? 'picked' : '')"
      >
        <PickColumn
          what="folders"
          :names="names"
          :picked="draft.picked"
          :name-of="(row: SharedFolder) => row.name"
          :label-of="(row: SharedFolder) => folderText(row.name)"
          @toggle="toggle"
          @all="pick"
        />
        <ElTableColumn label="Folder" min-width="220">
          <template #default="{ row }"><strong>{{ folderText(row.name) }}</strong></template>
        </ElTableColumn>
        <ElTableColumn label="Files" align="right" width="100">
          <template #default="{ row }">{{ row.files.toLocaleString('en') }}</template>
        </ElTableColumn>
        <ElTableColumn label="Size" align="right" width="110">
          <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
        </ElTableColumn>
      </ElTable>
      <p class="soft">Folders of apps are not among them: they come with the copies of these.</p>
    </template>
  </section>
  <NotInSystem v-else :phone="phone" what="Photos and files" />
</template>

<style scoped>
.shared {
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

.from {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  align-items: center;
  gap: 8px;
  font-size: 13px;
}

:deep(.picked td) {
  background: var(--action-tint);
}

.error {
  color: var(--beetroot);
}
</style>
