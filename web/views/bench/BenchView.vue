<script setup lang="ts">
import { computed, watch } from 'vue';
import { connectionWords } from '@keen-larder/core/phone/connections.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { useBench } from '../../state/bench.ts';
import { useConnections } from '../../state/connections.ts';
import ModeKeys from './ModeKeys.vue';
import PhoneTabs from './PhoneTabs.vue';
import PhoneHeader from './PhoneHeader.vue';
import { lazily } from '../../parts/lazily.ts';

/** Loaded when they are first shown. */
const BenchOverview = lazily(() => import('./BenchOverview.vue'));
const PhoneApps = lazily(() => import('./apps/PhoneApps.vue'));
const PhoneLeftovers = lazily(() => import('./apps/PhoneLeftovers.vue'));
const PhoneBootloader = lazily(() => import('./PhoneBootloader.vue'));
const PhoneRescue = lazily(() => import('./PhoneRescue.vue'));
const PhoneRecords = lazily(() => import('./PhoneRecords.vue'));
const PhoneMove = lazily(() => import('./apps/PhoneMove.vue'));
const PhoneDetails = lazily(() => import('./PhoneDetails.vue'));
const PhoneShared = lazily(() => import('./PhoneShared.vue'));
const PhonePast = lazily(() => import('./PhonePast.vue'));
const PhoneStorage = lazily(() => import('./storage/PhoneStorage.vue'));
const FirstSteps = lazily(() => import('../connections/FirstSteps.vue'));

const props = withDefaults(
  defineProps<{
    serial?: string;
    view?:
      | 'storage'
      | 'apps'
      | 'leftovers'
      | 'records'
      | 'shared'
      | 'move'
      | 'rescue'
      | 'bootloader'
      | 'past'
      | 'details';
  }>(),
  {
    view: 'storage',
  },
);
const bench = useBench();
const connections = useConnections();
const phone = computed(() => (props.serial ? bench.phone(props.serial) : undefined));

/** The first way at which somebody has to do something, and what. */
const waiting = computed(() => {
  const [first] = connections.waiting;
  return first && { ...first, words: connectionWords(first.state, connections.view?.fingerprint ?? '') };
});

/** *Bench* leads back to the phone that one was on. */
watch(
  () => phone.value?.serial,
  (serial) => {
    if (serial) bench.last = serial;
  },
  { immediate: true },
);
</script>

<template>
  <template v-if="phone">
    <PhoneHeader :phone="phone" />
    <PhoneTabs :serial="phone.serial" />
    <PhoneApps v-if="view === 'apps'" :key="phone.serial" :phone="phone" />
    <PhoneLeftovers v-else-if="view === 'leftovers'" :key="`leftovers ${phone.serial}`" :phone="phone" />
    <PhoneRecords v-else-if="view === 'records'" :key="`records ${phone.serial}`" :phone="phone" />
    <PhoneShared v-else-if="view === 'shared'" :key="`shared ${phone.serial}`" :phone="phone" />
    <PhoneMove v-else-if="view === 'move'" :key="`move ${phone.serial}`" :phone="phone" />
    <PhoneRescue v-else-if="view === 'rescue'" :phone="phone" />
    <PhoneBootloader v-else-if="view === 'bootloader'" :phone="phone" />
    <PhonePast v-else-if="view === 'past'" :phone="phone" />
    <PhoneDetails v-else-if="view === 'details'" :phone="phone" />
    <PhoneStorage v-else-if="phone.presence === 'here'" :phone="phone" />
    <EmptyState
      v-else
      :title="
        phone.presence === 'restarting'
          ? `${phone.nickname} is restarting into ${phone.expectedMode}`
          : phone.presence === 'looping'
            ? `${phone.nickname} does not start`
            : `${phone.nickname} is away`
      "
    >
      <template v-if="phone.presence === 'restarting'">It shows here again when it has started.</template>
      <template v-else-if="phone.presence === 'looping'">
        It restarts over and over. Use the keys to reach a mode that can read it; then
        <RouterLink :to="{ name: 'rescue', params: { serial: phone.serial } }">Rescue</RouterLink> finds what
        is wrong and what repairs it.
        <ModeKeys :keys="phone.keys" :is-locked="phone.facts?.condition.bootloaderUnlocked === false" />
      </template>
      <template v-else
        >Check its cable, and that USB debugging is on. It shows here as soon as it answers.
        <ModeKeys :keys="phone.keys" :is-locked="phone.facts?.condition.bootloaderUnlocked === false" />
      </template>
    </EmptyState>
  </template>
  <EmptyState v-else-if="bench.loaded && serial" title="This phone has not been on the bench">
    No phone with the serial {{ serial }} is known.
  </EmptyState>
  <BenchOverview v-else-if="bench.loaded && bench.phones.length" />
  <EmptyState
    v-else-if="bench.loaded && waiting"
    :title="`A phone at ${waiting.address} ${waiting.words.title}`"
  >
    {{ waiting.words.sentence }}
    <RouterLink to="/connections">All connections</RouterLink>
  </EmptyState>
  <div v-else-if="bench.loaded" class="first">
    <h1>No phone is on the bench</h1>
    <p>
      Keen Larder keeps what is on a phone before you change it, and puts it back with proof. Connect a phone
      in one of three ways; it shows here as soon as it answers.
      <RouterLink to="/help#help-guide">How the work goes</RouterLink>
    </p>
    <FirstSteps v-if="connections.view" :view="connections.view" />
  </div>
  <p v-else class="soft">Loading the bench…</p>
</template>

<style scoped>
.first {
  display: grid;
  gap: 10px;
}

.first h1 {
  font-size: 22px;
}

.first p {
  margin-bottom: 12px;
}
</style>
