<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { OffsiteCopy } from '@keen-larder/contract/larder/offsite.ts';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { api } from '../../../api/client.ts';
import { copyNames, useOffsite } from '../../../state/larder/offsite.ts';
import { useDoing } from '../../../state/notices/doing.ts';

/** Moves sets into a copy: they lie there alone afterwards. One that is locked, or away, is named and cannot be picked. */
const props = defineProps<{ sets: readonly SetView[]; small?: boolean }>();
const offsite = useOffsite();
void offsite.load().catch(() => undefined);
const router = useRouter();
const to = ref<OffsiteCopy>();
const { busy, doing } = useDoing();
const places = computed(() =>
  offsite.inUse.map(({ copy, state, isAway }) => ({
    copy,
    name: copy === 'bucket' ? 'into the bucket' : 'onto the second disk',
    why: isAway ? 'it is not plugged in' : state === 'open' ? undefined : 'locked: unlock it under Off-site',
  })),
);
const one = computed(() => props.sets.length === 1);
const pinned = computed(() => props.sets.filter((set) => set.pinned).length);

const move = () =>
  doing(async () => {
    const run = await api.moveOffsite(to.value!, { sets: props.sets.map(({ id }) => id) });
    await router.push({ name: 'runs', params: { id: run.id } });
  });
</script>

<template>
  <ElSelect
    v-if="places.length && sets.length && to === undefined"
    v-model="to"
    :size="small ? 'small' : 'default'"
    placeholder="Move to…"
    aria-label="Move to another disk, or into the bucket"
    class="places"
  >
    <ElOption
      v-for="{ copy, name, why } in places"
      :key="copy"
      :value="copy"
      :label="why ? `${name} (${why})` : name"
      :disabled="why !== undefined"
    />
  </ElSelect>
  <div v-else-if="to !== undefined" class="asked" role="group" aria-label="Move">
    <p>
      {{ one ? 'It is' : `${sets.length} sets are` }} sent to {{ copyNames[to] }}, read back from there, and
      then removed here. {{ one ? 'It can' : 'They can' }} be fetched again as long as {{ copyNames[to] }} is
      there.
      <template v-if="pinned"
        >{{ one ? 'It is pinned' : `${pinned} are pinned` }}: take the pin off first.</template
      >
    </p>
    <ElButton type="primary" size="small" :disabled="busy || pinned > 0" @click="move">{{
      one ? 'Move it' : 'Move them'
    }}</ElButton>
    <ElButton size="small" @click="to = undefined">Leave {{ one ? 'it' : 'them' }} here</ElButton>
  </div>
</template>

<style scoped>
.places {
  width: 136px;
}

.asked {
  display: flex;
  flex-basis: 100%;
  order: 1;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 8px 12px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.asked p {
  flex-basis: 100%;
  max-width: 74ch;
  margin: 0;
  font-size: 13px;
}

.asked .el-button {
  margin: 0;
}
</style>
