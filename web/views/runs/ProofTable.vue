<script setup lang="ts">
import { CheckIcon, CircleDashed, Info, OctagonX } from 'lucide-vue-next';
import { shallowRef, watch } from 'vue';
import type { ProofView } from '@keen-larder/contract/runs.ts';
import { proofResults } from '@keen-larder/core/jobs/proof-paper.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import CopyText from '../../parts/CopyText.vue';
import { announceError } from '../../state/notices/notices.ts';

/** The proof of return: what the phone has now beside what was kept. */
const props = defineProps<{ runId: string }>();
const proof = shallowRef<ProofView>();
watch(
  () => props.runId,
  (id) => void api.proof(id).then((found) => (proof.value = found), announceError),
  { immediate: true },
);
const icons = { same: CheckIcon, expected: Info, different: OctagonX, unknown: CircleDashed } as const;
</script>

<template>
  <section v-if="proof" aria-labelledby="proof">
    <h2 id="proof">Proof of return</h2>
    <p class="soft">
      Compared with
      <RouterLink :to="{ name: 'set', params: { id: proof.setId } }">{{ proof.label }}</RouterLink>. For the
      customer: <a :href="downloads.proofPdf(runId, 'a4')" download>PDF, A4</a> ·
      <a :href="downloads.proofPdf(runId, 'letter')" download>PDF, Letter</a> ·
      <a :href="downloads.proof(runId)" download>web page</a>
    </p>
    <table class="facts">
      <thead>
        <tr>
          <th>Fact</th>
          <th>Kept</th>
          <th>Now</th>
          <th>Result</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in proof.rows" :key="row.what" :class="row.result" :data-proof="row.what">
          <td>{{ row.what }}</td>
          <td>{{ row.kept ?? '–' }}</td>
          <td>{{ row.now ?? '–' }}</td>
          <td>
            <component :is="icons[row.result]" :size="14" aria-hidden="true" /> {{ proofResults[row.result]
            }}<span v-if="row.reason" class="soft"> · {{ row.reason }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <details v-if="proof.partitions.length > 0">
      <summary>
        {{ proof.partitions.length }} {{ proof.partitions.length === 1 ? 'partition' : 'partitions' }}, each
        digested by the phone itself before it started, all as kept
      </summary>
      <table class="facts">
        <tbody>
          <tr v-for="each in proof.partitions" :key="each.partition">
            <td>{{ each.partition }}</td>
            <td class="number">{{ sizeText(each.bytes) }}</td>
            <td><CopyText :value="each.sha256" :name="`SHA-256 of ${each.partition}`" short /></td>
          </tr>
        </tbody>
      </table>
    </details>
  </section>
</template>

<style scoped>
h2 {
  margin-bottom: 4px;
  font-size: 15px;
}

svg {
  vertical-align: -2px;
}

.same svg {
  color: var(--action);
}

.expected svg {
  color: var(--slate);
}

.different td:last-child {
  color: var(--beetroot);
  font-weight: 600;
}

summary {
  cursor: pointer;
  font-size: 13.5px;
}

.number {
  text-align: right;
}
</style>
