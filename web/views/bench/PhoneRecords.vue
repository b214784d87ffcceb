<script setup lang="ts">
import { ElButton, ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus';
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { RecordsOnPhone, RecordsView } from '@keen-larder/contract/copies.ts';
import { handedKinds } from '@keen-larder/core/records/handing.ts';
import { reachText, recordKind, type RecordKindId } from '@keen-larder/core/records/kinds.ts';
import { downloads } from '../../api/addresses.ts';
import PickColumn from '../../parts/table/PickColumn.vue';
import SizeText from '../../parts/SizeText.vue';
import { exactTime } from '../../parts/time.ts';
import { isOnPhone, useRecords } from '../../state/records.ts';
import { usePicking, useReadFromSystem } from './read-from-system.ts';
import NotInSystem from './NotInSystem.vue';

/** Personal records that belong to no app: how many, how large, how far they may travel, and what is kept of them. */
const props = defineProps<{ phone: PhoneView }>();
const store = useRecords();
const { serial, isThere, hasRoot } = useReadFromSystem({
  phone: () => props.phone,
  load: (serial) => store.load(serial),
});
const draft = computed(() => store.draft(serial.value));
const rows = computed(() => store.lists[serial.value] ?? []);
/** As files, or told by a content provider. */
const names = computed(() =>
  rows.value
    .filter((row) => isOnPhone(row) || store.copiesOf(serial.value, row).length > 0)
    .map(({ kind }) => kind),
);
const { pick, toggle } = usePicking(() => draft.value);
const copyText = ({ createdAt, nickname, serial: from, records }: RecordsView) =>
  `${exactTime(createdAt)}${records.count === undefined ? '' : ` · ${records.count}`}${from === serial.value ? '' : ` · ${nickname}`}`;
const others = computed(() => [...store.othersOf(serial.value)]);
const offered = (row: unknown) => store.copiesOf(serial.value, row as RecordsOnPhone);
function choose(from: string): void {
  Object.assign(draft.value, {
    from: from || undefined,
    copyOf: {},
    picked: [],
    confirmed: [],
    armedWith: '',
  });
}
const readable = (row: RecordsOnPhone) => {
  const copy = store.copyOf(serial.value, row);
  const part = copy?.parts.find(({ kind }) => kind === 'readable');
  return copy && part && { name: part.name, href: downloads.record(copy.id, part.name) };
};
</script>

<template>
  <section v-if="isThere" class="records" aria-label="Records">
    <p v-if="!hasRoot" class="soft">
      {{ phone.nickname }} gives no root: these are what its content providers tell. They are kept in open
      formats to be read. Contacts and the calendar go onto any phone from these, once somebody accepts them
      on its screen; a recovery with root has the files themselves.
    </p>
    <p v-else class="soft">
      Raw files as the phone has them, and what they say in open formats. Passphrases and tokens stay in the
      raw files.
    </p>
    <p v-if="store.errors[serial]" class="error" role="alert">{{ store.errors[serial] }}</p>
    <ElTable
      :data="[...rows]"
      size="small"
      row-key="kind"
      empty-text="Reading the records…"
      :row-class-name="({ row }) => (draft.picked.includes((row as RecordsOnPhone).kind) ? 'picked' : '')"
    >
      <PickColumn
        what="records"
        :names="names"
        :picked="draft.picked"
        :name-of="(row: RecordsOnPhone) => row.kind"
        @toggle="toggle"
        @all="pick"
      />
      <ElTableColumn label="Records" min-width="200">
        <template #default="{ row }">
          <strong>{{ recordKind(row.kind).title }}</strong>
          <span v-if="row.fault" class="error">{{ row.fault }}</span>
          <span v-else-if="row.missing" class="soft missing">without {{ row.missing }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="Count" align="right" width="70">
        <template #default="{ row }">{{
          isOnPhone(row as RecordsOnPhone) ? (row.count ?? '–') : row.fault ? '–' : 'none'
        }}</template>
      </ElTableColumn>
      <ElTableColumn label="Size" align="right" width="90">
        <template #default="{ row }"><SizeText :bytes="row.bytes" /></template>
      </ElTableColumn>
      <ElTableColumn label="May travel to" width="140">
        <template #default="{ row }">
          <span v-if="row.missing !== undefined && handedKinds[row.kind as RecordKindId]"
            >any phone, once accepted</span
          >
          <span v-else-if="row.missing !== undefined" class="soft">to be read</span>
          <span v-else :title="recordKind(row.kind).why">{{ reachText[recordKind(row.kind).reach] }}</span>
        </template>
      </ElTableColumn>
      <ElTableColumn label="Kept" min-width="200">
        <template #default="{ row }">
          <ElSelect
            v-if="offered(row).length > 1"
            :model-value="store.copyOf(serial, row as RecordsOnPhone)!.id"
            size="small"
            :aria-label="`Copy of ${recordKind(row.kind).title}`"
            @update:model-value="(id: string) => (draft.copyOf = { ...draft.copyOf, [row.kind]: id })"
          >
            <ElOption v-for="copy in offered(row)" :key="copy.id" :value="copy.id" :label="copyText(copy)" />
          </ElSelect>
          <span v-else-if="offered(row)[0]">{{ copyText(offered(row)[0]!) }}</span>
          <span v-else class="soft">never</span>
          <a v-if="readable(row as RecordsOnPhone)" :href="readable(row as RecordsOnPhone)!.href" download>{{
            readable(row as RecordsOnPhone)!.name
          }}</a>
        </template>
      </ElTableColumn>
    </ElTable>
    <p v-if="others.length" class="from">
      From another phone:
      <ElButton
        v-for="[other, name] in others"
        :key="other"
        size="small"
        :aria-pressed="draft.from === other"
        :title="`Copies of ${name}, ${other}`"
        @click="choose(draft.from === other ? '' : other)"
      >
        {{ name }}{{ draft.from === other ? ' · shown, back to this phone’s own' : '…' }}
      </ElButton>
    </p>
    <div class="again">
      <ElButton size="small" @click="store.load(serial)">Read again</ElButton>
      <RouterLink :to="{ name: 'shared', params: { serial } }">Photos and files that were kept…</RouterLink>
    </div>
  </section>
  <NotInSystem v-else :phone="phone" what="Records" />
</template>

<style scoped>
.missing {
  display: block;
  font-size: 12.5px;
}

.records {
  display: grid;
  gap: 8px;
}

:deep(.picked td) {
  background: var(--action-tint);
}

.from {
  display: flex;
  align-items: center;
  gap: 8px;
}

.again {
  display: flex;
  align-items: center;
  gap: 12px;
}

a {
  display: block;
  font-size: 12px;
}

.error {
  display: block;
  color: var(--beetroot);
}
</style>
