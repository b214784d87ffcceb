<script setup lang="ts">
import { ElButton } from 'element-plus';
import { CheckIcon, CircleDashed, Info, OctagonX } from 'lucide-vue-next';
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { RepairView } from '@keen-larder/contract/rescue.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import RoleStrip from '../../parts/RoleStrip.vue';
import TimeText from '../../parts/TimeText.vue';
import { useLarder } from '../../state/larder.ts';
import { useRescue } from '../../state/rescue.ts';

/** What is wrong with a phone, how it can be reached, and what would mend it, from the smallest repair up. */
const props = defineProps<{ phone: PhoneView }>();
const larder = useLarder();
const rescue = useRescue();

watch(
  () =>
    [
      props.phone.serial,
      props.phone.presence,
      props.phone.facts?.mode,
      props.phone.runId,
      larder.version,
    ] as const,
  ([serial]) => void rescue.load(serial),
  { immediate: true },
);
const view = computed(() => rescue.views[props.phone.serial]);
const error = computed(() => rescue.errors[props.phone.serial]);
const chosen = computed(() => rescue.chosen[props.phone.serial]);

const icons = { fault: OctagonX, note: Info, good: CheckIcon } as const;
const iconNames = { fault: 'Fault', note: 'Note', good: 'Good' } as const;

function outcomeText({ outcome, forecast }: RepairView): string {
  switch (outcome) {
    case 'mends':
      return 'mends it';
    case 'may-mend':
      return forecast ? 'may mend it' : 'may mend it; this mode cannot tell';
    default:
      return forecast ? `does not: ${forecast.reason}` : 'does not';
  }
}
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
    <section aria-labelledby="repairs">
      <h2 id="repairs">Repairs, from the smallest up</h2>
      <ul v-if="view.repairs.length" class="repairs">
        <li
          v-for="repair in view.repairs"
          :key="repair.id"
          :class="[repair.outcome, { smallest: repair.isSmallest, chosen: chosen === repair.id }]"
          :data-repair="repair.id"
        >
          <component
            :is="
              repair.outcome === 'mends' ? CheckIcon : repair.outcome === 'may-mend' ? CircleDashed : OctagonX
            "
            :size="16"
            aria-hidden="true"
          />
          <div class="what">
            <strong>{{ repair.title }}</strong><span v-if="repair.isSmallest" class="mark"
              >the smallest that {{ repair.outcome === 'mends' ? 'mends it' : 'may' }}</span
            >
            <p class="soft">{{ repair.sentence }}</p>
            <RoleStrip v-if="repair.images.length" :strip="repair.images" class="strip" />
            <p class="soft small">
              <template v-if="repair.label">From “{{ repair.label }}”. </template>
              <span class="outcome">It {{ outcomeText(repair) }}.</span>
            </p>
          </div>
          <div class="cost">
            <span>{{ repair.bytes ? sizeText(repair.bytes) : 'nothing to write' }}</span>
            <span :class="{ wipes: repair.wipes }">{{
              repair.wipes ? 'replaces user data' : 'user data stays'
            }}</span>
            <ElButton
              size="small"
              :type="repair.isSmallest ? 'primary' : 'default'"
              :aria-pressed="chosen === repair.id"
              :aria-label="`Plan ${repair.title}`"
              @click="rescue.choose(phone.serial, repair.id)"
              >{{ chosen === repair.id ? 'In the tray' : 'Plan it' }}</ElButton
            >
          </div>
        </li>
      </ul>
      <p v-else class="soft">
        The larder has no complete set of this phone to mend it from.
        <RouterLink to="/larder/import">Bring in images or firmware</RouterLink>, or keep what is on it first.
      </p>
    </section>
    <section aria-labelledby="modes">
      <h2 id="modes">Ways to reach it</h2>
      <dl class="reach">
        <div v-for="way in view.reach" :key="way.mode" :class="way.state">
          <dt>
            {{ way.mode }}<span>{{ reachStates[way.state] }}</span>
          </dt>
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

.error {
  color: var(--beetroot);
  font-weight: 600;
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

.repairs li {
  display: grid;
  grid-template-columns: 16px 1fr auto;
  gap: 10px;
  padding: 8px 12px;
  border: 1px solid var(--rule);
  border-left-width: 3px;
  background: var(--card);
}

.repairs li + li {
  border-top: 0;
}

.repairs .smallest {
  border-left-color: var(--action);
}

.repairs .chosen {
  background: var(--action-tint);
}

.mends > svg {
  color: var(--action);
}

.may-mend > svg {
  color: var(--slate);
}

.does-not > svg,
.does-not strong {
  color: var(--ink-soft);
}

.mark {
  margin-left: 8px;
  color: var(--action);
  font-size: 13px;
  font-weight: 600;
}

.what {
  min-width: 0;
  font-size: 14px;
}

.small {
  font-size: 12.5px;
}

.strip {
  max-width: 260px;
  margin: 4px 0;
}

.mends .outcome {
  color: var(--action);
  font-weight: 600;
}

.cost {
  display: grid;
  justify-items: end;
  align-content: start;
  gap: 3px;
  font-size: 13px;
  white-space: nowrap;
}

.wipes {
  color: var(--quince);
  font-weight: 600;
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
