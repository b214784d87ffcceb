<script setup lang="ts">
import { Pin, ShieldAlert, ShieldCheck, ShieldMinus, ShieldQuestion } from 'lucide-vue-next';
import { computed } from 'vue';
import type { SetView } from '@keen-larder/contract/sets.ts';
import { shortDigest } from './digest.ts';
import RoleStrip from './roles/RoleStrip.vue';
import SizeText from './SizeText.vue';
import TimeText from './TimeText.vue';

/** A set drawn as its paper label. */
const props = defineProps<{ set: SetView; selected?: boolean }>();
const shield = computed(() => {
  const { damaged, complete, verifiedAt } = props.set;
  return damaged ? ShieldAlert : !complete ? ShieldMinus : verifiedAt ? ShieldCheck : ShieldQuestion;
});
</script>

<template>
  <article class="label" :class="{ selected }">
    <RoleStrip :strip="set.strip" />
    <div class="body">
      <h2>
        <Pin v-if="set.pinned" :size="14" class="pin" role="img" aria-label="Pinned" />
        <RouterLink :to="{ name: 'set', params: { id: set.id } }">{{ set.label }}</RouterLink>
      </h2>
      <p class="soft">
        {{ set.nickname }} · {{ set.imageCount }} {{ set.imageCount === 1 ? 'image' : 'images' }}
        <template v-if="set.strip.some(({ role }) => role === 'user-data')">with user data</template>
        <template v-if="set.firmware"> · firmware</template>
        <template v-else-if="set.imported"> · imported</template>
      </p>
      <dl>
        <div>
          <dt>as imaged</dt>
          <dd><SizeText :bytes="set.bytes" /></dd>
        </div>
        <div>
          <dt>on the shelf</dt>
          <dd><SizeText :bytes="set.addedBytes" /> new</dd>
        </div>
      </dl>
    </div>
    <footer
      :class="{ damaged: set.damaged || !set.complete, good: !set.damaged && set.complete && set.verifiedAt }"
    >
      <span class="state">
        <component :is="shield" :size="15" class="shield" aria-hidden="true" />
        <template v-if="set.damaged">damaged</template>
        <template v-else-if="!set.complete">not complete</template>
        <template v-else-if="set.verifiedAt">verified <TimeText :at="set.verifiedAt" /></template>
        <template v-else>not verified yet</template>
      </span>
      <code :title="`Checksum of the set: ${set.fingerprint}`">{{ shortDigest(set.fingerprint) }}</code>
    </footer>
  </article>
</template>

<style scoped>
.label {
  display: flex;
  flex-direction: column;
  background: var(--card);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  overflow: hidden;
}

.selected {
  outline: 2px solid var(--action);
  outline-offset: 0;
}

.body {
  flex: 1;
  padding: 9px 12px 10px;
}

h2 {
  font-size: 15px;
  line-height: 1.25;
  text-wrap: balance;
}

h2 a {
  color: inherit;
  text-decoration: none;
}

h2 a:hover {
  text-decoration: underline;
}

.pin {
  float: right;
  color: var(--action);
}

p {
  margin-top: 3px;
  font-size: 12.5px;
}

dl {
  display: grid;
  grid-template-columns: 1fr 1fr;
  margin-top: 8px;
  padding-top: 7px;
  border-top: 1px solid var(--rule);
}

dt {
  color: var(--ink-soft);
  font-size: 11.5px;
}

dd {
  font-weight: 700;
}

footer {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  padding: 5px 12px;
  background: var(--paper);
  border-top: 1px solid var(--rule);
  color: var(--ink-soft);
  font-size: 12px;
  white-space: nowrap;
}

.state {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  min-width: 0;
  overflow: hidden;
}

.shield {
  flex: none;
}

.good .state {
  color: var(--action);
}

.damaged .state {
  color: var(--beetroot);
  font-weight: 700;
}
</style>
