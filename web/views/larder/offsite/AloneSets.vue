<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { useRouter } from 'vue-router';
import type { AloneView } from '@keen-larder/contract/larder/offsite.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/check.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { copyPlaces, useOffsite, type MovedSet } from '../../../state/larder/offsite.ts';
import { useDoing } from '../../../state/notices/doing.ts';

/** Sets that were moved into a copy, and that the larder has no more; of one phone where it is named. */
const props = defineProps<{ serial?: string }>();
const offsite = useOffsite();
void offsite.load().catch(() => undefined);
const router = useRouter();
const { busy, doing } = useDoing();
/** Of which it was said that nobody wants it any more. */
const givingUp = ref<string>();
const sets = computed(() => offsite.moved.filter(({ serial }) => !props.serial || serial === props.serial));

const viewOf = ({ copy }: AloneView) => offsite.inUse.find((each) => each.copy === copy);
/** From where it can be fetched now. */
const source = ({ places }: MovedSet) =>
  places.find((place) => viewOf(place)?.state === 'open' && !viewOf(place)?.isAway);
const isLocked = ({ places }: MovedSet) => places.some((place) => viewOf(place)?.state === 'locked');

const fetchFrom = ({ copy, bench, id }: AloneView) =>
  doing(async () => {
    const run = await api.fetchOffsite(copy, { things: [{ bench, kind: 'sets', id }] });
    await router.push({ name: 'runs', params: { id: run.id } });
  });
const giveUp = ({ id, places }: MovedSet) =>
  doing(async () => {
    for (const { copy } of places) offsite.take(await api.giveUpOffsite(copy, id));
    givingUp.value = undefined;
  });
</script>

<template>
  <section v-if="sets.length" aria-label="Sets that lie elsewhere">
    <h2>Moved elsewhere</h2>
    <table>
      <tbody>
        <tr v-for="each in sets" :key="each.id" :class="{ away: !source(each) }">
          <td>
            {{ each.label }}
            <span class="of">{{ each.nickname }} · {{ exactTime(each.createdAt) }}</span>
          </td>
          <td class="number">{{ sizeText(each.bytes) }}</td>
          <td>
            {{ listText(each.places.map(({ copy }) => copyPlaces[copy])) }} alone<template
              v-if="!source(each)"
              >, {{ isLocked(each) ? 'locked' : 'away: plug its disk in' }}</template
            >
          </td>
          <td class="acts">
            <template v-if="givingUp === each.id">
              <span>Nobody has it then.</span>
              <ElButton size="small" class="last" :disabled="busy" @click="giveUp(each)">Give it up</ElButton>
              <ElButton size="small" @click="givingUp = undefined">Keep it</ElButton>
            </template>
            <template v-else>
              <RouterLink
                v-if="!source(each) && isLocked(each)"
                to="/larder/off-site"
                class="el-button el-button--small"
                >Unlock</RouterLink
              >
              <ElButton
                v-else
                size="small"
                :disabled="busy || !source(each)"
                @click="fetchFrom(source(each)!)"
                >Fetch</ElButton
              >
              <ElButton size="small" :disabled="busy" @click="givingUp = each.id">Give up…</ElButton>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}

h2 {
  font-size: 16px;
}

table {
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 4px 16px 4px 0;
  border-bottom: 1px solid var(--rule);
}

.of {
  display: block;
  color: var(--ink-soft);
  font-size: 12px;
}

.away td {
  color: var(--ink-soft);
}

.number {
  text-align: right;
  white-space: nowrap;
}

.acts {
  white-space: nowrap;
}

/* The last that there is of it. */
.last {
  color: var(--beetroot);
}

.acts .el-button {
  margin: 0 0 0 6px;
  text-decoration: none;
}
</style>
