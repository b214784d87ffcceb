<script setup lang="ts">
import { CircleCheck, TriangleAlert } from 'lucide-vue-next';
import { shallowRef, watch } from 'vue';
import type { ScrubView } from '@keen-larder/contract/order.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { useLarder } from '../../../state/larder.ts';
import { announceError } from '../../../state/notices/notices.ts';

/** How far the shelf was read again, and what was found damaged. */
const larder = useLarder();
const scrub = shallowRef<ScrubView>();
watch(
  () => larder.version,
  () => api.scrub().then((found) => (scrub.value = found), announceError),
  { immediate: true },
);
</script>

<template>
  <section v-if="scrub" aria-label="Reading again">
    <h2>Reading again</h2>
    <p>
      Everything on the shelf is read again within {{ scrub.days }} days, while no run needs the disk.
      <template v-if="scrub.oldestAt"
        >Nothing was read longer ago than {{ exactTime(scrub.oldestAt) }}.</template
      >
      <template v-if="scrub.dueBytes">{{ sizeText(scrub.dueBytes) }} are due.</template>
      <strong v-if="scrub.damagedChunks" class="error"
        >{{ scrub.damagedChunks }} {{ scrub.damagedChunks === 1 ? 'chunk is' : 'chunks are' }} damaged: image
        the phones whose sets say so while they are at hand.</strong
      >
    </p>
    <ul v-if="scrub.findings.length" class="findings">
      <li v-for="finding in scrub.findings" :key="finding.at">
        <CircleCheck v-if="finding.goodAt" :size="15" aria-hidden="true" />
        <TriangleAlert v-else :size="15" class="error" aria-hidden="true" />
        <span>
          {{ exactTime(finding.at) }}: {{ finding.chunks }}
          {{ finding.chunks === 1 ? 'chunk' : 'chunks' }} damaged
          <template v-if="finding.sets.length || finding.copyCount">
            in
            <template v-for="(set, i) in finding.sets" :key="set.id"
              ><template v-if="i">, </template
              ><RouterLink :to="{ name: 'set', params: { id: set.id } }">{{
                set.label
              }}</RouterLink></template
            ><template v-if="finding.copyCount"
              ><template v-if="finding.sets.length"> and </template>{{ finding.copyCount }}
              {{ finding.copyCount === 1 ? 'copy' : 'copies' }}</template
            > </template
          >.
          <template v-if="finding.goodAt">Whole again since {{ exactTime(finding.goodAt) }}.</template>
          <template v-else>Not repaired yet{{ finding.fault ? `: ${finding.fault}` : '' }}.</template>
        </span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
h2 {
  font-size: 16px;
}

section {
  display: grid;
  gap: 8px;
  justify-items: start;
  min-width: 0;
}

.findings {
  display: grid;
  gap: 6px;
  margin: 0;
  padding: 0;
  list-style: none;
}

.findings li {
  display: grid;
  grid-template-columns: 18px 1fr;
  gap: 6px;
  font-size: 13px;
}

.findings svg:not(.error) {
  margin-top: 2px;
  color: var(--action);
}
</style>
