<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { ElCheckbox } from 'element-plus';
import type { CarryAlongOffer } from '@keen-larder/contract/copies.ts';
import { recordKind } from '@keen-larder/core/records/kinds.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { downloads } from '../../api/addresses.ts';
import { api } from '../../api/client.ts';
import TimeText from '../../parts/TimeText.vue';
import CheckList from '../CheckList.vue';
import FigureGrid from '../FigureGrid.vue';
import TrayFrame from '../TrayFrame.vue';

/** Copies that are picked, as one archive that a recovery installs without the bench. */
const props = defineProps<{ ids: readonly string[]; records: readonly string[] }>();
const emit = defineEmits<{ toggle: [id: string] }>();
const sheet = ref<CarryAlongOffer>();
const error = ref('');
/** Those that are picked and may travel. */
const going = computed(() =>
  (sheet.value?.offered ?? []).flatMap(({ id, whyNot }) =>
    whyNot === undefined && props.records.includes(id) ? id : [],
  ),
);
const asking = computed(() => JSON.stringify([props.ids, props.records]));

watch(
  asking,
  async (asked) => {
    try {
      const found = await api.carryAlongSheet(props.ids, props.records);
      if (asked === asking.value) [sheet.value, error.value] = [found, ''];
    } catch (failure) {
      [sheet.value, error.value] = [undefined, (failure as Error).message];
    }
  },
  { immediate: true },
);

const stops = computed(() => sheet.value?.checks.some(({ severity }) => severity === 'stop') ?? true);
/** What a system looks at as well. */
const ofRecoveries: readonly string[] = ['wrong-model', 'needs-newer-android', 'archive-too-large'];
const goesAsBackup = computed(() =>
  sheet.value?.checks.every(({ id, severity }) => severity !== 'stop' || ofRecoveries.includes(id)),
);
const figures = computed(() => {
  if (!sheet.value) return [];
  const { apps, withProgram, bytes } = sheet.value;
  return [
    { value: String(apps), name: apps === 1 ? 'app' : 'apps' },
    { value: String(withProgram), name: 'with the program' },
    { value: sizeText(bytes), name: 'to be put in place', exact: `${bytes.toLocaleString('en')} bytes` },
    { value: String(sheet.value.sdk), name: 'Android API level, at least' },
  ];
});
</script>

<template>
  <TrayFrame title="Tray · carry along">
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="sheet">
      <strong>One archive for any {{ sheet.model }}</strong>
      <p class="soft">
        Its recovery installs it by itself, without the bench. Data goes beside what is there, is checked, and
        then takes its place; what cannot be put back stays as it was.
      </p>
      <FigureGrid :figures="figures" />
      <section v-if="sheet.offered.length" class="records" aria-label="Records">
        <h3>Records as well</h3>
        <div class="boxes">
          <ElCheckbox
            v-for="{ id, kind, count, createdAt, nickname, whyNot } in sheet.offered"
            :key="id"
            :model-value="going.includes(id)"
            :disabled="whyNot !== undefined"
            @update:model-value="emit('toggle', id)"
          >
            {{ recordKind(kind).title }}
            <span v-if="whyNot" class="soft">· {{ whyNot }}</span>
            <span v-else class="soft">
              · {{ count === undefined ? '' : `${count} ` }}of {{ nickname }}, kept
              <TimeText :at="createdAt" />
            </span>
          </ElCheckbox>
        </div>
      </section>
      <CheckList :checks="sheet.checks" :confirmed="[]" />
      <h3>On the phone</h3>
      <ol>
        <li>Copy the archive onto it, and restart it into recovery with user data open.</li>
        <li>
          Install the archive there. It is not signed: where recovery verifies signatures, turn that off.
        </li>
        <li>
          It says of each app whether its data is in place, or its program waits: then start the phone, run
          what it shows, and install the archive once more.
        </li>
      </ol>
      <template v-if="goesAsBackup && going.length === 0">
        <h3>Without root or recovery</h3>
        <p>
          <a :href="downloads.platformBackup(ids)" download>The same as a backup of the platform’s own</a>:
          <code>adb restore FILE</code> hands it to a running system, which asks on its screen. It takes apps
          that allow backups, of the maker that it knows, and replaces their data; links, pictures and sounds
          that they share, and programs of several parts, are not in it.
        </p>
      </template>
    </template>
    <template #foot>
      <a
        v-if="!stops"
        :href="downloads.carryAlong(ids, going)"
        download
        class="el-button el-button--primary go"
        >Download the archive</a
      >
    </template>
  </TrayFrame>
</template>

<style scoped>
h3 {
  font-size: 13px;
}

p,
ol {
  font-size: 13px;
}

ol {
  display: grid;
  gap: 6px;
  padding-left: 18px;
  list-style: decimal;
}

.records,
.boxes {
  display: grid;
  gap: 4px;
}

.boxes :deep(.el-checkbox) {
  align-items: flex-start;
  height: auto;
  margin-right: 0;
  white-space: normal;
}

.boxes :deep(.el-checkbox__label) {
  font-size: 13px;
  line-height: 1.4;
}

.boxes :deep(.el-checkbox__input) {
  margin-top: 2px;
}

.error {
  color: var(--beetroot);
}

.go {
  width: 100%;
  text-decoration: none;
}
</style>
