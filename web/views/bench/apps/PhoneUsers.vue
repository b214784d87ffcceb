<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { bansOf, isOther, type UserDoing } from '@keen-larder/core/phone/users/users.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import ChoiceButton from '../../../parts/ChoiceButton.vue';
import { useApps } from '../../../state/apps.ts';
import { announceError } from '../../../state/notices/notices.ts';

/** Whose apps the list shows, on a phone that has more users than its owner. */
const props = defineProps<{ serial: string; root: boolean }>();
const store = useApps();
const users = computed(() => store.users[props.serial] ?? []);
const draft = computed(() => store.draft(props.serial));
const shown = computed(() => users.value.find(({ id }) => id === draft.value.user));

const kindWords = {
  owner: 'owner',
  second: 'user',
  work: 'work profile',
  profile: 'profile',
  guest: 'guest',
} as const;
const banWords: Readonly<Record<UserDoing, string>> = {
  reach: 'being reached over adb',
  install: 'installing programs',
  change: 'changing and removing apps',
};
const remarks = computed(() => {
  const user = shown.value;
  if (!user) return [];
  const forbidden = (['reach', 'install', 'change'] as const).filter((each) => bansOf(user, each).length > 0);
  return [
    ...(forbidden.length > 0
      ? [
          `${user.isManaged ? 'The app that manages it forbids' : 'Its restrictions forbid'} ${listText(forbidden.map((each) => banWords[each]))}.`,
        ]
      : []),
    ...(isOther(user) && !props.root ? ['Without root its programs can be copied, its data cannot.'] : []),
  ];
});

const isStarting = ref(false);
async function start(): Promise<void> {
  isStarting.value = true;
  const { id, name } = shown.value!;
  try {
    await store.startUser(props.serial, id);
    if (!shown.value?.isOpen)
      announceError(new Error(`${name} has a screen lock: unlock it on the phone, then read again.`));
  } catch (error) {
    announceError(error);
  } finally {
    isStarting.value = false;
  }
}
</script>

<template>
  <div v-if="users.length > 1 || shown?.isOpen === false" class="users">
    <div v-if="users.length > 1" class="who" role="group" aria-label="Whose apps">
      <span class="soft">Whose</span>
      <ChoiceButton
        v-for="user in users"
        :key="user.id"
        :taken="user.id === draft.user"
        @click="store.showUser(serial, user.id)"
      >
        {{ user.name }} <span v-if="user.id !== 0" class="kind">{{ kindWords[user.kind] }}</span>
      </ChoiceButton>
    </div>
    <p v-if="shown && !shown.isOpen" class="closed" role="status">
      {{ isOther(shown) ? `${shown.name} is locked` : 'Nobody has unlocked the phone since its start' }}: data
      of its apps is encrypted and not seen.
      <ElButton v-if="isOther(shown)" size="small" :loading="isStarting" @click="start">Start it</ElButton>
    </p>
    <p v-for="text in remarks" :key="text" class="soft">{{ text }}</p>
  </div>
</template>

<style scoped>
.users {
  display: grid;
  gap: 4px;
  font-size: 13px;
}

.who {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 5px;
}

.who > .soft {
  min-width: 44px;
}

.kind {
  margin-left: 3px;
  opacity: 0.8;
}

.closed {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
</style>
