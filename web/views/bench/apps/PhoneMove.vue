<script setup lang="ts">
import { ElButton, ElCheckbox, ElOption, ElSelect } from 'element-plus';
import { ArrowRight, CheckIcon, Info, OctagonX, TriangleAlert } from 'lucide-vue-next';
import { computed, watch } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { MovingView } from '@keen-larder/contract/copies.ts';
import { isLive } from '@keen-larder/contract/runs.ts';
import EmptyState from '../../../parts/EmptyState.vue';
import SizeText from '../../../parts/SizeText.vue';
import { useBench } from '../../../state/bench.ts';
import { useMoving } from '../../../state/apps/moving.ts';
import { useRuns } from '../../../state/runs.ts';
import NotInSystem from '../NotInSystem.vue';

/** Apps of this phone beside another one: what would move there, what cannot, and why. */
const props = defineProps<{ phone: PhoneView }>();
const bench = useBench();
const store = useMoving();
const runs = useRuns();
const serial = computed(() => props.phone.serial);
const draft = computed(() => store.draft(serial.value));
const others = computed(() =>
  bench.phones.filter((each) => each.serial !== serial.value && each.presence === 'here'),
);
const target = computed(() => others.value.find((each) => each.serial === draft.value.to));
const isReady = (phone: PhoneView | undefined) =>
  phone?.presence === 'here' && phone.facts?.mode === 'system';
const view = computed((): MovingView | undefined => {
  const found = store.views[serial.value];
  return found?.to === draft.value.to ? found : undefined;
});
const ended = computed(
  () => runs.list.filter((run) => [serial.value, draft.value.to].includes(run.serial) && !isLive(run)).length,
);
watch(
  () => [isReady(props.phone), isReady(target.value), draft.value.to, ended.value] as const,
  ([here, there]) => {
    if (here && there) void store.load(serial.value);
  },
  { immediate: true },
);

type App = MovingView['apps'][number];
const icons = { stop: OctagonX, confirm: TriangleAlert, note: Info, good: CheckIcon } as const;
const words = {
  stop: 'Cannot go',
  confirm: 'Needs a step first',
  note: 'Goes',
  good: 'Goes',
} as const;
const worst = ({ findings: [first] }: App) => first?.severity ?? 'good';
const able = computed(() => (view.value?.apps ?? []).filter((app) => worst(app) !== 'stop'));
function pick(names: readonly string[], isPicked: boolean): void {
  const rest = draft.value.picked.filter((name) => !names.includes(name));
  draft.value.picked = isPicked ? [...rest, ...names] : rest;
  draft.value.confirmed = [];
}
const version = (app: { versionName: string | undefined; versionCode: number }) =>
  app.versionName ?? String(app.versionCode);
</script>

<template>
  <section class="move" aria-label="Move apps">
    <header>
      <strong>{{ phone.nickname }}</strong>
      <ArrowRight :size="18" aria-label="to" />
      <ElSelect
        :model-value="draft.to ?? ''"
        placeholder="Choose the phone that they go to"
        aria-label="Phone that they go to"
        class="target"
        @update:model-value="(to: string) => Object.assign(draft, { to, picked: [], confirmed: [] })"
      >
        <ElOption
          v-for="each in others"
          :key="each.serial"
          :value="each.serial"
          :label="`${each.nickname} · ${each.model}`"
        />
      </ElSelect>
      <ElButton
        v-if="view"
        @click="
          pick(
            able.map((app) => app.package),
            true,
          )
        "
        >Pick all {{ able.length }} that can go</ElButton
      >
    </header>
    <NotInSystem v-if="!isReady(phone)" :phone="phone" what="Apps" />
    <EmptyState v-else-if="others.length === 0" title="No other phone is on the bench">
      Connect the phone that the apps are to go to.
    </EmptyState>
    <NotInSystem v-else-if="target && !isReady(target)" :phone="target" what="Apps" elsewhere />
    <p v-else-if="store.errors[serial]" class="error" role="alert">{{ store.errors[serial] }}</p>
    <table v-else-if="view" class="facts">
      <thead>
        <tr>
          <th class="box"></th>
          <th>App</th>
          <th>On {{ phone.nickname }}</th>
          <th>Result</th>
          <th>On {{ target?.nickname }}</th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="app in view.apps"
          :key="app.package"
          :class="{ picked: draft.picked.includes(app.package) }"
        >
          <td>
            <ElCheckbox
              :model-value="draft.picked.includes(app.package)"
              :disabled="worst(app) === 'stop'"
              :aria-label="`Pick ${app.label}`"
              @update:model-value="(is) => pick([app.package], Boolean(is))"
            />
          </td>
          <td>
            <strong>{{ app.label }}</strong>
            <code>{{ app.package }}</code>
          </td>
          <td>
            {{ version(app) }}
            <small v-if="app.dataBytes !== undefined" class="soft"
              ><SizeText :bytes="app.dataBytes" /> of data</small
            >
          </td>
          <td :class="worst(app)">
            <span class="verdict"
              ><component :is="icons[worst(app)]" :size="15" aria-hidden="true" />{{
                words[worst(app)]
              }}</span
            >
            <small v-for="each in app.findings" :key="each.id">{{ each.sentence }}</small>
          </td>
          <td>{{ app.there ? version(app.there) : 'not installed' }}</td>
        </tr>
        <tr v-if="view.apps.length === 0">
          <td colspan="5" class="soft">Its owner has installed no app.</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft" role="status">
      {{ draft.to ? 'Reading the apps of both phones…' : 'Choose a phone to see what would move.' }}
    </p>
  </section>
</template>

<style scoped>
.move {
  display: grid;
  gap: 12px;
}

header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
}

.target {
  width: 260px;
}

th.box {
  width: 30px;
}

td code,
td small {
  display: block;
}

td code {
  color: var(--ink-soft);
  font-size: 11.5px;
}

.picked td {
  background: var(--action-tint);
}

.verdict {
  display: flex;
  align-items: center;
  gap: 6px;
  font-weight: 700;
}

.stop .verdict {
  color: var(--beetroot);
}

.confirm .verdict {
  color: var(--quince);
}
</style>
