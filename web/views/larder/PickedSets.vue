<script setup lang="ts">
import { ElButton } from 'element-plus';
import { Pin, ShieldCheck, Trash2 } from 'lucide-vue-next';
import { computed, ref } from 'vue';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import MoveSets from './offsite/MoveSets.vue';
import { useLarder } from '../../state/larder.ts';
import { announceError, useNotices } from '../../state/notices/notices.ts';
import { useRuns } from '../../state/runs.ts';

/** What can be done with several sets at once. */
const props = defineProps<{ picked: readonly SetView[]; shown: readonly SetView[] }>();
const emit = defineEmits<{ pick: [ids: readonly string[]]; end: [] }>();
const larder = useLarder();
const notices = useNotices();
const runs = useRuns();
const busy = ref(false);
const ids = computed(() => props.picked.map(({ id }) => id));
const bytes = computed(() => props.picked.reduce((sum, set) => sum + set.bytes, 0));
const count = (n: number) => `${n} ${n === 1 ? 'set' : 'sets'}`;

async function change(over: { readonly pinned?: boolean; readonly binned?: boolean }): Promise<void> {
  busy.value = true;
  try {
    const { changed, refused } = await api.changeSome({ ids: [...ids.value], ...over });
    await larder.load();
    if (over.binned && changed.length > 0)
      notices.say({
        kind: 'caution',
        title: `In the bin for ${binDays} days`,
        message: count(changed.length),
        action: { text: 'Take them back', run: () => void change({ binned: false }) },
      });
    const [first] = refused;
    if (first)
      notices.say({
        kind: 'stop',
        title: `${count(refused.length)} stayed as ${refused.length === 1 ? 'it was' : 'they were'}`,
        message: `${first.label}: ${first.why}`,
      });
  } catch (error) {
    announceError(error);
  } finally {
    busy.value = false;
  }
}

const verify = () =>
  api.verifySome({ ids: [...ids.value] }).then((run) => void runs.take(run), announceError);
</script>

<template>
  <section class="picked" aria-label="Picked sets">
    <strong>{{ count(picked.length) }} picked</strong>
    <span v-if="picked.length" class="soft">{{ sizeText(bytes) }} as imaged</span>
    <ElButton size="small" :disabled="!picked.length || busy" @click="verify"
      ><ShieldCheck :size="14" aria-hidden="true" />&nbsp;Verify</ElButton
    >
    <ElButton size="small" :disabled="!picked.length || busy" @click="change({ pinned: true })"
      ><Pin :size="14" aria-hidden="true" />&nbsp;Pin</ElButton
    >
    <ElButton size="small" :disabled="!picked.length || busy" @click="change({ pinned: false })"
      >Take pins off</ElButton
    >
    <ElButton size="small" :disabled="!picked.length || busy" @click="change({ binned: true })"
      ><Trash2 :size="14" aria-hidden="true" />&nbsp;Into the bin</ElButton
    >
    <MoveSets :sets="picked" small />
    <span class="end">
      <ElButton
        size="small"
        @click="
          emit(
            'pick',
            shown.map(({ id }) => id),
          )
        "
        >Pick all {{ shown.length }} shown</ElButton
      >
      <ElButton size="small" @click="emit('end')">Done</ElButton>
    </span>
  </section>
</template>

<style scoped>
.picked {
  position: sticky;
  top: 0;
  z-index: 2;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
  padding: 8px 12px;
  border: 1px solid var(--action);
  border-radius: 3px;
  background: var(--card);
}

.picked .el-button {
  margin: 0;
}

.end {
  display: inline-flex;
  gap: 8px;
  margin-left: auto;
}
</style>
