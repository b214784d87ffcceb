<script setup lang="ts">
import { ElOption, ElOptionGroup, ElSelect } from 'element-plus';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { abilitiesOf } from '@keen-larder/core/phone/modes.ts';
import { exactTime } from '../../../parts/time.ts';
import { useBench } from '../../../state/bench.ts';
import { useLarder } from '../../../state/larder.ts';

/** Chooses the set that one is compared with, the older of the two first, or its phone as it is now. */
const props = defineProps<{ set: SetView }>();
const larder = useLarder();
const router = useRouter();

const bench = useBench();
/** The phone of the set, where it is here and its partitions can be read. */
const phone = computed(() =>
  bench.phones.find(
    ({ serial, presence, facts }) =>
      serial === props.set.serial && presence === 'here' && facts && abilitiesOf(facts.mode, facts.root).read,
  ),
);

const groups = computed(() => {
  const others = larder.sets.filter(({ id }) => id !== props.set.id);
  const own = others.filter(({ serial }) => serial === props.set.serial);
  return [
    { title: props.set.nickname, sets: own },
    { title: 'Other phones', sets: others.filter((each) => !own.includes(each)) },
  ].filter(({ sets }) => sets.length > 0);
});
const nameOf = (each: SetView) =>
  each.serial === props.set.serial ? each.label : `${each.nickname}: ${each.label}`;

function choose(id: string): void {
  if (id.startsWith('phone:')) {
    void router.push({ name: 'compare', params: { id: props.set.id, other: id } });
    return;
  }
  const other = larder.sets.find((each) => each.id === id);
  if (!other) return;
  const [first, second] = [props.set, other].sort((a, b) => a.createdAt - b.createdAt);
  void router.push({ name: 'compare', params: { id: first!.id, other: second!.id } });
}
</script>

<template>
  <ElSelect
    v-if="groups.length || phone"
    :model-value="undefined"
    placeholder="Compare with…"
    aria-label="Compare with another set, or with the phone"
    filterable
    @change="choose"
  >
    <ElOption v-if="phone" :value="`phone:${phone.serial}`" :label="`${phone.nickname} as it is now`" />
    <ElOptionGroup v-for="group in groups" :key="group.title" :label="group.title">
      <ElOption v-for="each in group.sets" :key="each.id" :value="each.id" :label="nameOf(each)">
        <span>{{ nameOf(each) }}</span>
        <span class="when">{{ exactTime(each.createdAt) }}</span>
      </ElOption>
    </ElOptionGroup>
  </ElSelect>
</template>

<style scoped>
.el-select {
  width: 172px;
}

.when {
  float: right;
  padding-left: 16px;
  color: var(--ink-soft);
  font-size: 12px;
}
</style>
