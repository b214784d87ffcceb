<script setup lang="ts">
import { ElButton, ElInput, ElInputNumber, ElOption, ElSelect } from 'element-plus';
import { Download, FolderOutput } from 'lucide-vue-next';
import { computed, ref, shallowRef } from 'vue';
import { useLocalStorage } from '@vueuse/core';
import type { ExportRequest } from '@keen-larder/contract/requests/larder/sets.ts';
import type { ExportPlace } from '@keen-larder/contract/larder/exports.ts';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import type { ExportForm, ExportPacking } from '@keen-larder/core/larder/export-plan.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { leastPassphrase } from '@keen-larder/core/larder/passphrase.ts';
import { api } from '../../../api/client.ts';
import { downloads } from '../../../api/addresses.ts';
import { announceError } from '../../../state/notices/notices.ts';
import { useRuns } from '../../../state/runs.ts';

/** One line that says how the set, or what is picked of it, leaves the larder. */
const props = defineProps<{ set: SetDetail; picked: readonly string[] }>();
const runs = useRuns();
/** The workshop’s usual way is remembered. */
const form = useLocalStorage<ExportForm>('keen-larder-export-form', 'raw');
const packing = useLocalStorage<ExportPacking>('keen-larder-export-packing', 'none');
const splitMebibytes = useLocalStorage('keen-larder-export-split', 0);

const forms: Readonly<Record<ExportForm, string>> = {
  raw: 'raw images',
  sparse: 'sparse images',
  tar: 'one tar archive',
};
const packings: Readonly<Record<ExportPacking, string>> = {
  none: 'not packed',
  gzip: 'packed by gzip',
  zstd: 'packed by zstd',
};
/** As age files, which any computer opens that has the passphrase, or the identity of the recipient. */
const seals = {
  none: 'not sealed',
  passphrase: 'sealed, passphrase…',
  recipient: 'sealed, recipient…',
};
const seal = ref<keyof typeof seals>('none');
/** Asked for when the line is shown: drives come and go. */
const places = shallowRef<readonly ExportPlace[]>([]);
const place = ref('');
const loadPlaces = () =>
  api.exports().then(
    (found) => {
      ({ places: places.value } = found);
      if (!places.value.some(({ path }) => path === place.value)) place.value = places.value[0]?.path ?? '';
      // Then there is no choice.
    },
    () => undefined,
  );
void loadPlaces();
const secret = ref('');
const some = computed(() => props.picked.length > 0 && props.picked.length < props.set.images.length);
const request = computed((): ExportRequest => ({
  form: form.value,
  packing: packing.value,
  ...(form.value === 'sparse' && splitMebibytes.value > 0 && { splitMebibytes: splitMebibytes.value }),
  ...(some.value && { picked: [...props.picked] }),
  ...(place.value && { place: place.value }),
  ...(seal.value === 'passphrase' && { passphrase: secret.value }),
  ...(seal.value === 'recipient' && { recipients: secret.value.trim().split(/[\s,]+/) }),
}));
const toFolder = () =>
  api.exportToFolder(props.set.id, request.value).then((run) => {
    secret.value = '';
    return void runs.take(run);
  }, announceError);

/** Its passphrase does not stand in an address: what is downloaded is asked for first. */
async function downloadSealed(): Promise<void> {
  try {
    const { ticket } = await api.sealedDownload(props.set.id, request.value);
    secret.value = '';
    const link = document.createElement('a');
    link.href = downloads.sealedSet(props.set.id, ticket);
    link.download = '';
    link.click();
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <section class="line" aria-label="Export">
    <span>{{ some ? `${picked.length} picked` : 'All' }} as</span>
    <ElSelect v-model="form" aria-label="Form of the export" class="form">
      <ElOption v-for="(name, each) in forms" :key="each" :value="each" :label="name" />
    </ElSelect>
    <ElSelect v-model="packing" aria-label="Packing of the export" class="packing">
      <ElOption v-for="(name, each) in packings" :key="each" :value="each" :label="name" />
    </ElSelect>
    <label v-if="form === 'sparse'" class="split">
      no file above
      <ElInputNumber
        v-model="splitMebibytes"
        :min="0"
        :max="1048576"
        :step="256"
        :controls="false"
        aria-label="Largest sparse file in MiB; 0 for any size"
      />
      {{ splitMebibytes ? 'MiB' : 'MiB (0: any)' }}
    </label>
    <ElSelect v-model="seal" aria-label="Seal of the export" class="seal" @change="secret = ''">
      <ElOption v-for="(name, each) in seals" :key="each" :value="each" :label="name" />
    </ElSelect>
    <ElInput
      v-if="seal !== 'none'"
      v-model="secret"
      :type="seal === 'passphrase' ? 'password' : 'text'"
      :show-password="seal === 'passphrase'"
      autocomplete="new-password"
      :placeholder="seal === 'passphrase' ? `at least ${leastPassphrase} letters` : 'age1…'"
      :aria-label="seal === 'passphrase' ? 'Passphrase of the export' : 'Public key of the recipient'"
      class="secret"
    />
    <ElSelect
      v-if="places.length > 1"
      v-model="place"
      aria-label="Place of the export"
      class="place"
      @visible-change="(shown: boolean) => shown && loadPlaces()"
    >
      <ElOption
        v-for="each in places"
        :key="each.path"
        :value="each.path"
        :label="`${each.name}, ${sizeText(each.freeBytes)} free`"
      />
    </ElSelect>
    <span class="ways">
      <ElButton :disabled="seal !== 'none' && !secret" @click="toFolder"
        ><FolderOutput :size="15" aria-hidden="true" />&nbsp;Export to a folder</ElButton
      >
      <ElButton v-if="seal !== 'none'" :disabled="!secret" @click="downloadSealed"
        ><Download :size="15" aria-hidden="true" />&nbsp;Download sealed</ElButton
      >
      <a v-else class="el-button" :href="downloads.set(set.id, request)" download
        ><Download :size="15" aria-hidden="true" />&nbsp;Download</a
      >
    </span>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

.form {
  width: 150px;
}

.packing {
  width: 150px;
}

.seal {
  width: 170px;
}

.place {
  width: 240px;
}

.secret {
  width: 220px;
}

.split {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}

.split .el-input-number {
  width: 76px;
}

.ways {
  display: inline-flex;
  gap: 8px;
  margin-left: auto;
}

.ways .el-button {
  margin: 0;
  text-decoration: none;
}
</style>
