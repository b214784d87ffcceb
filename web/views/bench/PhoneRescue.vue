<script setup lang="ts">
import { CheckIcon, Info, OctagonX } from 'lucide-vue-next';
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import TimeText from '../../parts/TimeText.vue';
import { useLarder } from '../../state/larder.ts';
import { useBench } from '../../state/bench.ts';
import { useRescue } from '../../state/rescue.ts';
import RepairLine from './RepairLine.vue';

/** What is wrong with a phone, how it can be reached, and what would mend it, from the smallest repair up. */
const props = defineProps<{ phone: PhoneView }>();
const larder = useLarder();
const rescue = useRescue();
const bench = useBench();

watch(
  () =>
    [
      props.phone.serial,
      props.phone.presence,
      props.phone.facts?.mode,
      props.phone.runId,
      larder.version,
    ] as const,
  ([serial, , , runId]) => {
    // A run is not to be disturbed; what it changed is looked at when it has ended.
    if (runId !== undefined) return;
    void rescue.load(serial);
    void bench.loadPartitions(serial);
  },
  { immediate: true },
);
const view = computed(() => rescue.views[props.phone.serial]);
const error = computed(() => rescue.errors[props.phone.serial]);
const inTray = computed(() => rescue.inTray(props.phone.serial)?.id);
const hasFault = computed(() => view.value?.findings.some(({ severity }) => severity === 'fault') ?? false);
const proposed = computed(() => (view.value?.repairs ?? []).filter(({ outcome }) => outcome !== 'does-not'));
const others = computed(() => (view.value?.repairs ?? []).filter(({ outcome }) => outcome === 'does-not'));

const icons = { fault: OctagonX, note: Info, good: CheckIcon } as const;
const iconNames = { fault: 'Fault', note: 'Note', good: 'Good' } as const;

const reachStates = { here: 'answers now', known: 'answered before', untried: 'not tried' } as const;
</script>

<template>
  <p v-if="error" class="error" role="alert">{{ error }}</p>
  <p v-else-if="!view" class="soft" role="status">Looking at what lies on it…</p>
  <div v-else class="rescue" :data-busy="rescue.busy[phone.serial]">
    <section aria-labelledby="wrong">
      <h2 id="wrong">
        What is found<span v-if="rescue.busy[phone.serial]" class="soft" role="status">
          · looking again…</span
        >
      </h2>
      <ul class="findings">
        <li
          v-for="finding in view.findings"
          :key="finding.id"
          :class="finding.severity"
          :data-finding="finding.id"
        >
          <component
            :is="icons[finding.severity]"
            :size="18"
            role="img"
            :aria-label="iconNames[finding.severity]"
          />
          <div>
            <strong>{{ finding.title }}</strong>
            <p>{{ finding.sentence }}</p>
          </div>
        </li>
      </ul>
    </section>
    <section v-if="proposed.length" aria-labelledby="repairs">
      <h2 id="repairs">{{ hasFault ? 'Repairs, smallest first' : 'Images that can go back' }}</h2>
      <ul class="repairs">
        <RepairLine
          v-for="repair in proposed"
          :key="repair.id"
          :repair="repair"
          :has-fault="hasFault"
          :is-chosen="inTray === repair.id"
          @choose="rescue.choose(phone.serial, repair.id)"
        />
      </ul>
    </section>
    <p v-else-if="view.repairs.length" class="soft">
      The larder has no repair for it: no set has everything that is missing.
      <RouterLink to="/larder/import">Bring in images or firmware.</RouterLink>
    </p>
    <p v-else class="soft">
      The larder has no complete set of this phone to repair it from.
      <RouterLink to="/larder/import">Bring in images or firmware</RouterLink>, or keep what is on it first.
    </p>
    <details v-if="others.length">
      <summary>
        {{ others.length }} {{ others.length === 1 ? 'image that does' : 'images that do' }} not repair it
      </summary>
      <ul class="repairs">
        <RepairLine
          v-for="repair in others"
          :key="repair.id"
          :repair="repair"
          :has-fault="hasFault"
          :is-chosen="inTray === repair.id"
          @choose="rescue.choose(phone.serial, repair.id)"
        />
      </ul>
    </details>
    <section aria-labelledby="modes">
      <h2 id="modes">Ways to reach it</h2>
      <dl class="reach">
        <div v-for="way in view.reach" :key="way.mode" :class="way.state">
          <dt>{{ way.mode }}<span>{{ reachStates[way.state] }}</span></dt>
          <dd>
            {{ way.keys ?? 'No keys lead there on this model.' }}<br /><span class="soft">{{ way.use }}</span>
          </dd>
        </div>
      </dl>
    </section>
    <section v-if="view.sets.length" aria-labelledby="good">
      <h2 id="good">Good sets of this phone</h2>
      <ul class="sets">
        <li v-for="each in view.sets" :key="each.id">
          <RouterLink :to="{ name: 'set', params: { id: each.id } }">{{ each.label }}</RouterLink>
          <span class="soft"
            >taken <TimeText :at="each.createdAt" /> ·
            <template v-if="each.verifiedAt">verified <TimeText :at="each.verifiedAt" /></template
            ><template v-else>not verified since</template></span
          >
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.rescue {
  display: grid;
  gap: 16px;
}

h2 {
  margin-bottom: 6px;
  font-size: 16px;
}

h2 span {
  font-size: 13px;
  font-weight: 400;
}

.findings {
  display: grid;
  gap: 6px;
}

.findings li {
  display: grid;
  grid-template-columns: 18px 1fr;
  gap: 10px;
  padding: 9px 12px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.findings .fault {
  border-color: var(--beetroot-rule);
  background: var(--beetroot-tint);
}

.fault svg,
.fault strong {
  color: var(--beetroot);
}

.note svg {
  color: var(--slate);
}

.good svg {
  color: var(--action);
}

summary {
  margin-bottom: 6px;
  cursor: pointer;
}

.reach {
  display: grid;
  gap: 0;
}

.reach div {
  display: grid;
  grid-template-columns: 150px 1fr;
  gap: 10px;
  padding: 7px 0;
  border-top: 1px solid var(--rule);
  font-size: 14px;
}

dt {
  font-weight: 700;
}

dt span {
  display: block;
  color: var(--ink-soft);
  font-size: 12.5px;
  font-weight: 400;
}

.here dt span {
  color: var(--action);
  font-weight: 600;
}

.sets {
  display: grid;
  gap: 3px;
  font-size: 14px;
}

.sets .soft {
  margin-left: 8px;
  font-size: 13px;
}
</style>
