<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../api/client.ts';
import { useLarder } from '../state/larder.ts';
import { announceError } from '../state/notices/notices.ts';
import UnlockLarder from '../views/larder/sealing/UnlockLarder.vue';

const larder = useLarder();
const router = useRouter();
const absence = computed(() => larder.shelf?.absence);
/** With less, no run that keeps anything comes to its end. */
const leastBytes = 32 << 20;
const free = computed(() => larder.shelf?.freeBytes ?? Infinity);
const doubts = computed(() => larder.shelf?.doubts ?? []);

const lookAgain = () => larder.load().catch(announceError);
const rebuild = () => api.rebuild().then(({ id }) => router.push(`/runs/${id}`), announceError);
</script>

<template>
  <div v-if="larder.shelf?.seal === 'locked'" class="shelf stop" role="alert">
    <span>The larder is sealed. Nothing can be kept or put back until it is unlocked.</span>
    <UnlockLarder />
  </div>
  <p v-else-if="absence" class="shelf stop" role="alert">
    <span>{{ absence }} Until then nothing can be kept or put back.</span>
    <ElButton size="small" @click="lookAgain">Look again</ElButton>
  </p>
  <p v-else-if="free < leastBytes" class="shelf" role="status">
    <span>
      The disk of the shelf is full: {{ sizeText(free) }} free. Nothing can be kept until there is room. Empty
      the bin, remove exports, or move other files away.
    </span>
    <ElButton size="small" @click="lookAgain">Look again</ElButton>
  </p>
  <p v-else-if="doubts.length" class="shelf" role="status">
    <span>Nothing is deleted from the shelf for now. {{ doubts.join(' ') }}</span>
    <ElButton size="small" @click="rebuild">Rebuild the catalogue</ElButton>
  </p>
</template>

<style scoped>
.shelf {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 0;
  padding: 6px 16px;
  color: var(--quince);
  background: var(--quince-tint);
  border-bottom: 1px solid var(--quince-rule);
  font-weight: 600;
}

.stop {
  color: var(--beetroot);
  background: var(--beetroot-tint);
  border-color: var(--beetroot-rule);
}

.shelf > span {
  flex: 1;
}
</style>
