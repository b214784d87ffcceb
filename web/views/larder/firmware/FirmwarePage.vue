<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { isSameModel } from '@keen-larder/core/larder/firmware.ts';
import EmptyState from '../../../parts/EmptyState.vue';
import RoleStrip from '../../../parts/roles/RoleStrip.vue';
import SizeText from '../../../parts/SizeText.vue';
import TimeText from '../../../parts/TimeText.vue';
import { useBench } from '../../../state/bench.ts';
import { useLarder } from '../../../state/larder.ts';
import { usePicks } from '../../../state/picks.ts';

/** Firmware by the model that it is for, and which phones on the bench take it. */
const larder = useLarder();
const bench = useBench();
const picks = usePicks();
const router = useRouter();

interface OfModel {
  readonly maker: string;
  readonly model: string;
  readonly sets: readonly SetView[];
  readonly here: readonly PhoneView[];
}

const models = computed((): OfModel[] => {
  const found = new Map<string, SetView[]>();
  for (const set of larder.firmware) found.set(set.serial, [...(found.get(set.serial) ?? []), set]);
  return [...found.values()]
    .map((sets) => {
      const [{ maker, model }] = sets as [SetView];
      const here = bench.phones.filter(
        (phone) => phone.presence !== 'away' && isSameModel(phone, { maker, model }),
      );
      return { maker, model, sets, here };
    })
    .sort((a, b) => `${a.maker} ${a.model}`.localeCompare(`${b.maker} ${b.model}`));
});

/** Says so where the images themselves name another model than the one they are filed under. */
const otherProduct = (set: SetView) => {
  const { product } = set.condition;
  return product && !isSameModel(product, set) ? `${product.maker} ${product.model}` : undefined;
};

function putOnto(set: SetView, { serial }: PhoneView): void {
  picks.forSet(set.id).serial = serial;
  void router.push({ name: 'set', params: { id: set.id } });
}
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Firmware</h1>
    <p class="soft">
      Firmware belongs to a model and goes onto any phone of it. Sets belong to one phone; they are in the
      <RouterLink to="/larder">larder</RouterLink>.
    </p>
    <section v-for="each in models" :key="`${each.maker}/${each.model}`" :aria-label="each.model">
      <h2>
        {{ each.maker }} {{ each.model }}
        <span class="soft">{{
          each.here.length
            ? `on the bench: ${each.here.map(({ nickname }) => nickname).join(', ')}`
            : 'none on the bench'
        }}</span>
      </h2>
      <ul>
        <li v-for="set in each.sets" :key="set.id">
          <RoleStrip :strip="set.strip" class="strip" />
          <div>
            <RouterLink :to="{ name: 'set', params: { id: set.id } }" class="name">{{
              set.label
            }}</RouterLink>
            <p>
              {{ set.condition.build ?? 'build unknown' }} · Android
              {{ set.condition.androidVersion ?? 'unknown' }},
              <span class="together">patch level {{ set.condition.patchLevel ?? 'unknown' }}</span>
            </p>
            <p class="soft">
              {{ set.imageCount }} {{ set.imageCount === 1 ? 'image' : 'images' }},
              <SizeText :bytes="set.bytes" /> · imported <TimeText :at="set.createdAt" /> ·
              <template v-if="set.verifiedAt">verified <TimeText :at="set.verifiedAt" /></template>
              <template v-else>not verified yet</template>
            </p>
            <p v-if="set.damaged" class="damaged">Damaged: verify it, and import its files again.</p>
            <p v-if="otherProduct(set)" class="damaged">Its images are for a {{ otherProduct(set) }}.</p>
          </div>
          <span class="onto">
            <ElButton v-for="phone in each.here" :key="phone.serial" size="small" @click="putOnto(set, phone)"
              >Put onto {{ phone.nickname }}…</ElButton
            >
          </span>
        </li>
      </ul>
    </section>
    <EmptyState v-if="models.length === 0 && larder.loaded" title="No firmware is kept yet">
      <RouterLink to="/larder/import">Import</RouterLink> its files, and say there that they are firmware of a
      model.
    </EmptyState>
  </article>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
  min-width: 0;
}

h2 {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 12px;
  font-size: 16px;
}

h2 .soft {
  font-size: 13px;
  font-weight: 400;
}

ul {
  display: grid;
  gap: 8px;
}

li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 16px;
  padding: 0 14px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  font-size: 13px;
}

.strip {
  grid-column: 1 / 3;
  margin: 0 -14px 4px;
}

.name {
  font-size: 15px;
  font-weight: 600;
}

.together {
  white-space: nowrap;
}

.damaged {
  color: var(--beetroot);
  font-weight: 600;
}

.onto {
  display: grid;
  align-content: start;
  gap: 4px;
}

.onto .el-button {
  margin: 0;
}
</style>
