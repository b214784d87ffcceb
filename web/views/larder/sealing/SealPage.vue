<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { LockKeyhole } from 'lucide-vue-next';
import { ref, shallowRef, watch } from 'vue';
import type { SealView } from '@keen-larder/contract/larder/seal.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import ProgressLine from '../../../parts/ProgressLine.vue';
import { useLarder } from '../../../state/larder.ts';
import { useNotices } from '../../../state/notices/notices.ts';
import NewPassphrase from './NewPassphrase.vue';
import RecoveryKey from './RecoveryKey.vue';
import UnlockLarder from './UnlockLarder.vue';

/** The seal of the larder: putting it on, another passphrase, taking it off. */
const larder = useLarder();
const notices = useNotices();
const view = shallowRef<SealView>();
const error = ref<string>();
const busy = ref(false);
const isChanging = ref(false);
const before = ref('');
const passphrase = ref('');
const again = ref('');
/** Shown once. */
const recoveryKey = ref<string>();

async function load(): Promise<void> {
  try {
    view.value = await api.seal();
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
watch(() => larder.version, load, { immediate: true });

async function doing(work: () => Promise<void>): Promise<void> {
  error.value = undefined;
  busy.value = true;
  try {
    await work();
    await larder.load();
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}

/** What was written twice, where it was written the same way; says so otherwise. */
const written = (): string | undefined => {
  if (passphrase.value === again.value) return passphrase.value;
  error.value = 'The passphrase was not written the same way twice.';
  return undefined;
};

async function seal(): Promise<void> {
  const chosen = written();
  if (chosen === undefined) return;
  await doing(async () => {
    const done = await api.sealLarder({ passphrase: chosen });
    [view.value, recoveryKey.value] = [done.view, done.recoveryKey];
    forget();
  });
}

async function change(): Promise<void> {
  const chosen = written();
  if (chosen === undefined) return;
  await doing(async () => {
    view.value = await api.changePassphrase({ before: before.value, passphrase: chosen });
    forget();
    isChanging.value = false;
    notices.say({
      kind: 'good',
      title: 'The passphrase was changed',
      message: 'The recovery key is the same as before.',
    });
  });
}

const takeOff = () => doing(async () => void (view.value = await api.takeSealOff()));

function forget(): void {
  [before.value, passphrase.value, again.value] = ['', '', ''];
}
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Seal</h1>
    <RecoveryKey
      v-if="recoveryKey"
      :recovery-key="recoveryKey"
      what="the larder"
      @written="recoveryKey = undefined"
    />
    <template v-if="view?.state === 'none'">
      <p>
        Whoever takes the disk of the shelf can read what is kept on it. Under a seal nobody can, without the
        passphrase: images, copies of apps and records, and all that is written beside them. It is asked for
        once, whenever the program is started.
      </p>
      <p class="soft">
        Not sealed: the catalogue of this computer, with labels, phones and names of files, and what you
        export. What was deleted from a disk before may still be found on it.
      </p>
    </template>
    <p v-else-if="view?.state === 'open' && view.isComingOff">
      The seal is being taken off. Other work goes on meanwhile.
    </p>
    <p v-else-if="view?.state === 'open'" class="stands">
      <LockKeyhole :size="16" aria-hidden="true" />
      <strong>{{ view.leftBytes ? 'Being sealed' : 'Everything on the shelf is sealed' }}</strong>
      <span>and unlocked until the program ends.</span>
    </p>
    <template v-if="view?.leftBytes">
      <ProgressLine
        :done="view.storedBytes - view.leftBytes"
        :whole="view.storedBytes"
        name="Rewritten"
        class="progress"
      />
      <p class="soft">
        {{ sizeText(view.storedBytes - view.leftBytes) }} of {{ sizeText(view.storedBytes) }} are written
        anew. It goes on after a break, while no run stores anything.
      </p>
    </template>
    <p v-if="view?.fault" class="error" role="alert">{{ view.fault }}</p>
    <UnlockLarder v-if="view?.state === 'locked'" />
    <form v-if="view?.state === 'none'" aria-label="Seal the larder" @submit.prevent="seal">
      <NewPassphrase v-model="passphrase" v-model:again="again" />
      <ElButton type="primary" native-type="submit" :disabled="busy || !passphrase">Seal the larder</ElButton>
    </form>
    <form v-else-if="isChanging" aria-label="Another passphrase" @submit.prevent="change">
      <label>
        <span>Passphrase until now</span>
        <ElInput
          v-model="before"
          type="password"
          autocomplete="off"
          placeholder="or the recovery key"
          aria-label="Passphrase until now"
        />
      </label>
      <NewPassphrase v-model="passphrase" v-model:again="again" name="New passphrase" />
      <ElButton type="primary" native-type="submit" :disabled="busy || !before || !passphrase"
        >Change it</ElButton
      >
    </form>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <p v-if="view?.state === 'open' && !view.isComingOff" class="line">
      <ElButton v-if="!isChanging" size="small" @click="isChanging = true">Change the passphrase…</ElButton>
      <ElButton size="small" :disabled="busy" @click="takeOff">Take the seal off</ElButton>
    </p>
  </article>
</template>

<style scoped>
article {
  justify-items: start;
}

p {
  max-width: 74ch;
}

.stands,
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}

.progress {
  width: 380px;
}

form {
  display: grid;
  gap: 8px;
  justify-items: start;
}

label {
  display: grid;
  grid-template-columns: 142px 380px;
  gap: 10px;
  align-items: center;
  font-size: 14px;
}
</style>
