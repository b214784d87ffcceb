<script setup lang="ts">
import { computed } from 'vue';
import { modesToReach, modeUse, type PhoneMode } from '@keen-larder/core/phone/modes.ts';

/** Which keys lead a phone into each mode, and what that is good for: the likeliest to help first. */
const props = defineProps<{ keys: Readonly<Partial<Record<PhoneMode, string>>>; isLocked?: boolean }>();
const rows = computed(() =>
  modesToReach(props.isLocked ?? false).flatMap((mode) =>
    props.keys[mode] ? [{ mode, keys: props.keys[mode], use: modeUse(mode, props.isLocked ?? false) }] : [],
  ),
);
</script>

<template>
  <dl>
    <div v-for="row in rows" :key="row.mode">
      <dt>{{ row.mode }}</dt>
      <dd>{{ row.keys }}<br /><span class="soft">{{ row.use }}</span></dd>
    </div>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  gap: 8px;
  margin-top: 16px;
  text-align: left;
}

div {
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 10px;
  padding-top: 8px;
  border-top: 1px solid var(--rule);
  font-size: 14px;
}

dt {
  font-weight: 700;
}
</style>
