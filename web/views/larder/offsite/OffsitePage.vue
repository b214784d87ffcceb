<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { CloudUpload } from 'lucide-vue-next';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { OffsiteThingView, OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { useLarder } from '../../../state/larder.ts';
import { useOffsite } from '../../../state/larder/offsite.ts';
import { announceError } from '../../../state/notices/notices.ts';
import RecoveryKey from '../sealing/RecoveryKey.vue';
import OffsiteForm from './OffsiteForm.vue';
import OffsiteLimits from './OffsiteLimits.vue';

/** The copy of the larder in a bucket or on another disk: where it is, what it has, and what it has besides. */
const larder = useLarder();
const router = useRouter();
const offsite = useOffsite();
const view = computed(() => offsite.view);
const elsewhere = shallowRef<readonly OffsiteThingView[]>();
const error = ref<string>();
const busy = ref(false);
const passphrase = ref('');
/** Shown once. */
const recoveryKey = ref<string>();

const load = () =>
  offsite.load().then(
    () => (error.value = undefined),
    (failure: unknown) => (error.value = (failure as Error).message),
  );
watch(() => larder.version, load, { immediate: true });

async function doing(work: () => Promise<unknown>): Promise<void> {
  busy.value = true;
  try {
    await work();
  } catch (failure) {
    announceError(failure);
  } finally {
    busy.value = false;
  }
}

const unlock = () =>
  doing(async () => {
    offsite.view = await api.unlockOffsite({ passphrase: passphrase.value });
    passphrase.value = '';
  });
const copy = () =>
  doing(async () => void router.push({ name: 'runs', params: { id: (await api.copyOffsite()).id } }));
const look = () => doing(async () => (elsewhere.value = await api.offsiteElsewhere()));
const fetchThing = ({ bench, kind, id }: OffsiteThingView) =>
  doing(async () => {
    const run = await api.fetchOffsite({ things: [{ bench, kind, id }] });
    await router.push({ name: 'runs', params: { id: run.id } });
  });
const turnOff = () => doing(async () => (offsite.view = await api.turnOffOffsite()));

function wasSetUp(found: OffsiteView, key: string | undefined): void {
  offsite.view = found;
  recoveryKey.value = key;
}

const isWhole = computed(() => view.value !== undefined && view.value.offsiteCount === view.value.keptCount);
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Off-site</h1>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <RecoveryKey
      v-if="recoveryKey"
      :recovery-key="recoveryKey"
      what="the copy"
      @written="recoveryKey = undefined"
    />
    <template v-if="view?.state === 'off'">
      <p>
        A copy of everything that is kept, in a bucket of any S3-compatible service or in a folder on another
        disk. It is sealed before it leaves this computer: whoever runs the service, or finds the disk, sees
        neither names nor contents. Several benches may share one; what all of them have is sent once.
      </p>
      <OffsiteForm @done="wasSetUp" />
    </template>
    <form v-else-if="view?.state === 'locked'" class="line" @submit.prevent="unlock">
      <p>The copy in {{ view.place }} is locked since the program was started.</p>
      <ElInput
        v-model="passphrase"
        type="password"
        show-password
        autocomplete="off"
        placeholder="Passphrase or recovery key"
        aria-label="Passphrase or recovery key"
        class="passphrase"
      />
      <ElButton type="primary" native-type="submit" :disabled="!passphrase || busy">Unlock</ElButton>
    </form>
    <template v-else-if="view">
      <section aria-label="How it stands" class="stands">
        <p :class="{ missing: !isWhole }">
          <strong>{{ view.offsiteCount }} of {{ view.keptCount }}</strong> sets and copies are in
          {{ view.place
          }}<template v-if="view.comparedAt">, compared {{ exactTime(view.comparedAt) }}</template>. This
          bench is called “{{ view.benchName }}” there.
        </p>
        <p v-if="view.isAway" class="missing" role="status">
          Its disk is not plugged in. The copy goes on by itself when it is.
        </p>
        <p v-else-if="view.fault" class="error" role="alert">{{ view.fault }}</p>
        <ElButton type="primary" :disabled="busy || view.isAway" @click="copy"
          ><CloudUpload :size="16" aria-hidden="true" />&nbsp;{{
            isWhole ? 'Compare with the copy' : 'Copy what is missing'
          }}</ElButton
        >
      </section>
      <OffsiteLimits :view="view" @changed="(found) => (offsite.view = found)" />
      <section aria-label="What else is there">
        <h2>What else is there</h2>
        <p v-if="!elsewhere">
          Sets of other benches, and those that were here before.
          <ElButton size="small" :disabled="busy || view.isAway" @click="look">Look into the copy</ElButton>
        </p>
        <p v-else-if="elsewhere.length === 0" class="soft">Nothing that is not here as well.</p>
        <table v-else>
          <tbody>
            <tr v-for="thing in elsewhere" :key="`${thing.bench} ${thing.id}`">
              <td>
                {{ thing.name }}
                <span class="of"
                  >{{ thing.nickname }} · {{ exactTime(thing.createdAt) }} · kept by “{{
                    thing.benchName
                  }}”</span
                >
              </td>
              <td class="number">{{ sizeText(thing.bytes) }}</td>
              <td class="number">
                <ElButton size="small" :disabled="busy" @click="fetchThing(thing)">Fetch</ElButton>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <p class="soft">
        <ElButton size="small" :disabled="busy" @click="turnOff">Stop copying</ElButton> What is there stays
        there.
      </p>
    </template>
  </article>
</template>

<style scoped>
article {
  justify-items: start;
}

h2 {
  font-size: 16px;
}

p {
  max-width: 74ch;
}

.stands {
  display: grid;
  gap: 10px;
  justify-items: start;
}

.missing strong {
  color: var(--quince);
}

.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}

.line p {
  flex-basis: 100%;
}

.passphrase {
  width: 320px;
}

table {
  border-collapse: collapse;
  font-size: 13px;
}

td {
  padding: 4px 16px 4px 0;
  border-bottom: 1px solid var(--rule);
}

.of {
  display: block;
  color: var(--ink-soft);
  font-size: 12px;
}

.number {
  text-align: right;
  white-space: nowrap;
}
</style>
