<script setup lang="ts">
import { ElButton } from 'element-plus';
import { LockKeyhole } from 'lucide-vue-next';
import { ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { ExportsView, ExportView } from '@keen-larder/contract/larder/exports.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import CopyText from '../../../parts/CopyText.vue';
import { useLarder } from '../../../state/larder.ts';
import { announceError } from '../../../state/notices/notices.ts';

/** Exports that were made: where they are, reading them again, removing them. */
const larder = useLarder();
const router = useRouter();
const view = shallowRef<ExportsView>();
const error = ref<string>();
/** Whose removal is asked for. */
const going = ref<string>();

const load = () =>
  api.exports().then(
    (found) => (view.value = found),
    (failure: unknown) => (error.value = (failure as Error).message),
  );
watch(() => larder.version, load, { immediate: true });

const verify = ({ id }: ExportView) =>
  api.verifyExport(id).then((run) => router.push({ name: 'runs', params: { id: run.id } }), announceError);

async function remove({ id }: ExportView): Promise<void> {
  try {
    view.value = await api.removeExport(id);
    going.value = undefined;
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Exports</h1>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template v-if="view">
      <section aria-label="Places">
        <h2>Where they may go</h2>
        <table>
          <tbody>
            <tr v-for="place in view.places" :key="place.path">
              <td>{{ place.name }}</td>
              <td><CopyText v-if="place.path !== place.name" :value="place.path" name="path" /></td>
              <td class="number">{{ sizeText(place.freeBytes) }} free</td>
            </tr>
          </tbody>
        </table>
        <p class="soft">
          Drives that are plugged in appear by themselves. Other folders are named when the program is
          started:
          <code>npm start -- --export-to FOLDER</code>.
        </p>
      </section>
      <section aria-label="Exports that were made">
        <h2>{{ view.exports.length === 0 ? 'None was made yet' : 'Made so far' }}</h2>
        <table v-if="view.exports.length">
          <tbody>
            <tr v-for="each in view.exports" :key="each.id">
              <td>
                <LockKeyhole v-if="each.isSealed" :size="14" role="img" aria-label="Sealed" />
                {{ each.label }}
                <span class="of">{{ each.nickname }} · {{ exactTime(each.madeAt) }}</span>
              </td>
              <td>
                <CopyText :value="each.path" name="path" />
                <span v-if="!each.isThere" class="of away">not there now</span>
              </td>
              <td class="number">
                {{ each.fileCount }} {{ each.fileCount === 1 ? 'file' : 'files' }}, {{ sizeText(each.bytes) }}
              </td>
              <td class="number">
                <template v-if="going === each.id">
                  <ElButton size="small" type="danger" @click="remove(each)">{{
                    each.isThere ? 'Remove its files' : 'Take it off the list'
                  }}</ElButton>
                  <ElButton size="small" @click="going = undefined">Leave it</ElButton>
                </template>
                <template v-else>
                  <ElButton size="small" :disabled="!each.isThere" @click="verify(each)">Verify</ElButton>
                  <ElButton size="small" @click="going = each.id">Remove…</ElButton>
                </template>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </article>
</template>

<style scoped>
h2 {
  font-size: 16px;
}

section {
  display: grid;
  gap: 8px;
  min-width: 0;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 4px 8px;
  border-bottom: 1px solid var(--rule);
}

.of {
  display: block;
  color: var(--ink-soft);
  font-size: 12px;
}

.away {
  color: var(--quince);
}

.number {
  text-align: right;
  white-space: nowrap;
}
</style>
