<script setup lang="ts">
import { ElButton, ElSlider, ElSwitch } from 'element-plus';
import { computed, ref, watch } from 'vue';
import type { PracticeBuild, PracticePhone } from '@keen-larder/contract/practice.ts';
import type { PracticeAction } from '@keen-larder/contract/requests.ts';
import { api } from '../../api/client.ts';
import { announceError } from '../../state/notices.ts';

const props = defineProps<{
  phone: PracticePhone;
  goodBuilds: readonly PracticeBuild[];
  brokenBuilds: readonly PracticeBuild[];
}>();
const emit = defineEmits<{ changed: [] }>();
const busy = ref(false);
const percent = ref(props.phone.battery.percent);
watch(
  () => props.phone.battery.percent,
  (now) => (percent.value = now),
);

const state = computed(() => {
  switch (props.phone.phase) {
    case 'off':
      return 'off';
    case 'starting':
      return 'starting';
    case 'looping':
      return 'restarting for ever';
    default:
      return `running ${props.phone.mode}`;
  }
});

async function act(action: PracticeAction): Promise<void> {
  busy.value = true;
  await api.act(props.phone.serial, action).catch(announceError);
  busy.value = false;
  emit('changed');
}
</script>

<template>
  <article :data-practice="phone.serial" :data-phase="phone.phase">
    <header>
      <h2>{{ phone.maker }} {{ phone.model }}</h2>
      <span class="soft"
        >serial <code>{{ phone.serial }}</code> · adb at <code>{{ phone.adb }}</code></span
      >
      <strong class="state" :class="phone.phase">{{ state }}</strong>
    </header>
    <p v-if="phone.reason" class="reason">Why: {{ phone.reason }}</p>
    <p v-else-if="phone.phase === 'running'" class="soft">
      <template v-if="phone.build">{{ phone.build }} · </template
      >{{ phone.hasImei ? 'IMEI present' : 'no IMEI' }}
    </p>
    <dl>
      <div>
        <dt>Cable</dt>
        <dd>
          <ElSwitch
            :model-value="phone.cable"
            active-text="in"
            inactive-text="out"
            aria-label="Cable"
            @update:model-value="(isIn) => act({ do: 'cable', in: Boolean(isIn) })"
          />
          <ElButton
            size="small"
            :disabled="!phone.cable"
            @click="act({ do: 'pull-after', bytes: 24 * 1024 * 1024 })"
            >Pull it after 24 MiB more</ElButton
          >
        </dd>
      </div>
      <div>
        <dt>Keys</dt>
        <dd>
          <ElButton size="small" @click="act({ do: 'keys', into: 'recovery' })"
            >Hold Power and Volume up</ElButton
          >
          <ElButton size="small" @click="act({ do: 'keys', into: 'system' })">Hold Power</ElButton>
          <ElButton size="small" @click="act({ do: 'power', on: !phone.power })">{{
            phone.power ? 'Switch off' : 'Switch on'
          }}</ElButton>
        </dd>
      </div>
      <div>
        <dt>Battery</dt>
        <dd class="battery">
          <ElSlider
            v-model="percent"
            :min="1"
            :max="100"
            :format-tooltip="(value: number) => `${value} %`"
            aria-label="Battery in percent"
            @change="act({ do: 'battery', percent, chargesOnCable: phone.battery.chargesOnCable })"
          />
          <span>{{ phone.battery.percent }} %</span>
          <ElSwitch
            :model-value="phone.battery.chargesOnCable"
            active-text="charges on the cable"
            aria-label="Charges on the cable"
            @update:model-value="
              (charges) =>
                act({ do: 'battery', percent: phone.battery.percent, chargesOnCable: Boolean(charges) })
            "
          />
        </dd>
      </div>
      <div>
        <dt>Use</dt>
        <dd>
          <ElButton size="small" @click="act({ do: 'use' })">A day in the field</ElButton>
          <span class="soft">writes a few sightings into user data</span>
        </dd>
      </div>
    </dl>
    <template
      v-for="[heading, does, builds] in [
        ['Flash a broken build', 'break', brokenBuilds],
        ['Flash a good build', 'install', goodBuilds],
      ] as const"
      :key="does"
    >
      <h3>{{ heading }}</h3>
      <ul>
        <li v-for="build in builds" :key="build.id">
          <ElButton size="small" :disabled="busy" @click="act({ do: does, build: build.id })">{{
            build.title
          }}</ElButton>
          <span class="soft">{{ build.sentence }}</span>
        </li>
      </ul>
    </template>
  </article>
</template>

<style scoped>
article {
  display: grid;
  gap: 10px;
  padding: 14px 16px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

article > header {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
}

h2 {
  font-size: 17px;
}

h3 {
  font-size: 14px;
}

.state {
  margin-left: auto;
}

.looping,
.reason {
  color: var(--beetroot);
}

dl {
  display: grid;
  gap: 6px;
}

dl > div {
  display: grid;
  grid-template-columns: 76px 1fr;
  align-items: center;
}

dt {
  color: var(--ink-soft);
}

dd {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}

dd .el-button {
  margin: 0;
}

.battery .el-slider {
  flex: none;
  width: 200px;
  margin: 0 8px;
}

ul {
  display: grid;
  gap: 6px;
}

li {
  display: grid;
  grid-template-columns: 190px 1fr;
  align-items: center;
  gap: 10px;
}
</style>
