<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElSelect, ElSlider, ElSwitch } from 'element-plus';
import { computed, ref, watch } from 'vue';
import type { PracticeBuild, PracticePhone } from '@keen-larder/contract/practice.ts';
import { keysFor } from '@keen-larder/core/phone/keys.ts';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import { announceError } from '../../state/notices/notices.ts';
import PracticeRecovery from './PracticeRecovery.vue';

const props = defineProps<{
  phone: PracticePhone;
  goodBuilds: readonly PracticeBuild[];
  brokenBuilds: readonly PracticeBuild[];
}>();
const emit = defineEmits<{ changed: [] }>();
const bench = useBench();
/** As it is called on the bench. */
const nickname = computed(() => bench.phone(props.phone.serial)?.nickname);
const busy = ref(false);
/** Where worn pages are to be. */
const place = ref(props.phone.partitions.includes('system') ? 'system' : props.phone.partitions[0]);
const faults = [
  { id: 'flaky-cable', title: 'Bad cable', sentence: 'Flips a bit now and then on the way out' },
  { id: 'stall', title: 'Stall', sentence: 'Lets nothing more over the cable' },
  { id: 'worn', title: 'Worn pages', sentence: 'Three pages that cannot be read' },
  { id: 'weak', title: 'Weak pages', sentence: 'Three pages that come out differently each time' },
  { id: 'full', title: 'Full storage', sentence: 'User data takes no other file' },
  { id: 'unwritable', title: 'Dead pages', sentence: 'Three pages that cannot be written' },
];
const fitting = (builds: readonly PracticeBuild[]) =>
  builds.filter(({ models }) => models.includes(props.phone.model));
const percent = ref(props.phone.battery.percent);
watch(
  () => props.phone.battery.percent,
  (now) => (percent.value = now),
);

const isOfData = computed(() => ['backup', 'restore', 'import'].includes(props.phone.question ?? ''));
const state = computed(() => {
  switch (props.phone.phase) {
    case 'off':
      return 'off';
    case 'starting':
      return 'starting';
    case 'looping':
      return 'restarting over and over';
    default:
      return `running ${props.phone.mode}`;
  }
});

/** Typed on its screen when it hands data out. */
const password = ref('');
async function agree(): Promise<void> {
  const typed = props.phone.question === 'backup' ? password.value : '';
  await act({ do: 'allow', ...(typed && { password: typed }) });
  password.value = '';
}

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
      <h2>
        {{ nickname ?? `${phone.maker} ${phone.model}` }}
        <span v-if="nickname" class="model">{{ phone.maker }} {{ phone.model }}</span>
      </h2>
      <span class="soft"
        >serial <code>{{ phone.serial }}</code> · adb at <code>{{ phone.adb }}</code>, fastboot at
        <code>{{ phone.fastboot }}</code
        ><template v-if="phone.loader">, loader at <code>{{ phone.loader }}</code></template></span
      >
      <strong class="state" :class="phone.phase">{{ state }}</strong>
    </header>
    <p v-if="phone.reason" class="reason">Why: {{ phone.reason }}</p>
    <p v-else-if="phone.mode === 'system' || phone.mode === 'recovery'" class="soft">
      <template v-if="phone.build">{{ phone.build }} · </template
      >{{ phone.hasImei === undefined ? 'has no modem' : phone.hasImei ? 'IMEI present' : 'no IMEI' }}
    </p>
    <p v-if="phone.question" class="asking" role="status">
      <span v-if="isOfData"
        >On its screen:
        <strong>{{
          phone.question === 'backup'
            ? 'Hand the data of its apps to a computer?'
            : phone.question === 'import'
              ? 'Take in what is in this file?'
              : 'Replace the data of its apps with what a computer has?'
        }}</strong>
      </span>
      <ElInput
        v-if="phone.question === 'backup'"
        v-model="password"
        size="small"
        class="password"
        aria-label="Password typed there"
        placeholder="Password, or none"
      />
      <span v-if="!isOfData"
        >On its screen:
        <strong>{{ phone.question === 'lock' ? 'Lock' : 'Unlock' }} the bootloader?</strong> All user data
        will be wiped.</span
      >
      <ElButton size="small" type="primary" @click="agree">{{
        isOfData ? 'Tap Agree' : 'Press Volume up for yes'
      }}</ElButton>
      <ElButton size="small" @click="act({ do: 'refuse' })">{{
        isOfData ? 'Tap Refuse' : 'Press Power for no'
      }}</ElButton>
    </p>
    <p v-if="phone.asking" class="asking" role="status">
      <span
        >On its screen: <strong>Allow USB debugging from {{ phone.asking.name || 'a computer' }}?</strong> Its
        key: <code>{{ phone.asking.fingerprint }}</code></span
      >
      <ElButton size="small" type="primary" @click="act({ do: 'allow' })">Tap Allow</ElButton>
      <ElButton size="small" @click="act({ do: 'refuse' })">Tap Refuse</ElButton>
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
          <ElButton
            v-for="mode in phone.modes"
            :key="mode"
            size="small"
            :title="keysFor(phone.maker, phone.model, mode)"
            @click="act({ do: 'keys', into: mode })"
            >Keys for {{ mode }}</ElButton
          >
          <ElButton size="small" @click="act({ do: 'power', on: !phone.power })">{{
            phone.power ? 'Switch off' : 'Switch on'
          }}</ElButton>
        </dd>
      </div>
      <div v-if="phone.mode === 'recovery'">
        <dt>Recovery</dt>
        <dd><PracticeRecovery :phone="phone" @changed="emit('changed')" /></dd>
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
        <dt>Faults</dt>
        <dd>
          <ElSelect v-model="place" size="small" filterable aria-label="Where the flash is bad" class="place">
            <ElOption v-for="name in phone.partitions" :key="name" :value="name" :label="`in ${name}`" />
          </ElSelect>
          <ElButton
            v-for="fault in faults"
            :key="fault.id"
            size="small"
            :type="phone.faults.includes(fault.id) ? 'primary' : 'default'"
            :aria-pressed="phone.faults.includes(fault.id)"
            :title="fault.sentence"
            @click="act({ do: 'fault', fault: fault.id, partition: place })"
            >{{ fault.title }}</ElButton
          >
          <ElButton
            size="small"
            :type="phone.faults.includes('held') ? 'primary' : 'default'"
            :aria-pressed="phone.faults.includes('held')"
            title="Takes connections and says nothing, as when another program has it"
            @click="act({ do: 'hold' })"
            >Held elsewhere</ElButton
          >
          <ElButton size="small" :disabled="phone.faults.length === 0" @click="act({ do: 'mend' })"
            >Repair all</ElButton
          >
        </dd>
      </div>
      <div>
        <dt>Use</dt>
        <dd>
          <ElButton size="small" @click="act({ do: 'use' })">A day in the field</ElButton>
          <ElButton size="small" @click="act({ do: 'use', days: 7 })">A week</ElButton>
          <span class="soft">writes a few sightings into user data</span>
          <span class="pair">
            <ElButton size="small" :disabled="busy" @click="act({ do: 'fill' })">Many apps</ElButton>
            <span class="soft">two dozen of several makers</span>
          </span>
          <span class="pair">
            <ElButton size="small" :disabled="busy" @click="act({ do: 'share' })">Other users</ElButton>
            <span class="soft">a work profile and a second person</span>
          </span>
          <span class="pair">
            <ElButton size="small" @click="act({ do: 'reset' })">Erase all data</ElButton>
            <span class="soft">apps, photos and settings; starts as new</span>
          </span>
        </dd>
      </div>
    </dl>
    <template
      v-for="[heading, does, builds] in [
        ['Flash a broken build', 'break', fitting(brokenBuilds)],
        ['Flash a good build', 'install', fitting(goodBuilds)],
      ] as const"
      :key="does"
    >
      <h3 v-if="builds.length">{{ heading }}</h3>
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
.pair {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}

.model {
  color: var(--ink-soft);
  font-size: 13px;
  font-weight: 400;
}

.password {
  width: 150px;
}

.asking {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  padding: 8px 10px;
  border: 1px solid var(--quince);
  border-radius: 3px;
  background: var(--quince-tint);
}

.asking code {
  overflow-wrap: anywhere;
}

.place {
  width: 150px;
}

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
