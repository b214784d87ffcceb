<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { CloudUpload, HardDrive } from 'lucide-vue-next';
import { computed, ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import type { OffsiteThingView, OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import { exactTime } from '../../../parts/time.ts';
import { useOffsite } from '../../../state/larder/offsite.ts';
import { useDoing } from '../../../state/notices/doing.ts';
import RecoveryKey from '../sealing/RecoveryKey.vue';
import OffsiteForm from './OffsiteForm.vue';
import OffsiteLimits from './OffsiteLimits.vue';

/** One of the copies: where it is, what it has, and what it has besides. */
const props = defineProps<{ view: OffsiteView }>();
const router = useRouter();
const offsite = useOffsite();
const elsewhere = shallowRef<readonly OffsiteThingView[]>();
const isFormShown = ref(false);
const { busy, doing } = useDoing();
const passphrase = ref('');
/** Shown once. */
const recoveryKey = ref<string>();
const copy = computed(() => props.view.copy);
const isBucket = computed(() => copy.value === 'bucket');

const unlock = () =>
  doing(async () => {
    offsite.take(await api.unlockOffsite(copy.value, { passphrase: passphrase.value }));
    passphrase.value = '';
  });
const send = () =>
  doing(
    async () => void router.push({ name: 'runs', params: { id: (await api.copyOffsite(copy.value)).id } }),
  );
const look = () => doing(async () => (elsewhere.value = await api.offsiteElsewhere(copy.value)));
const fetchThing = ({ bench, kind, id }: OffsiteThingView) =>
  doing(async () => {
    const run = await api.fetchOffsite(copy.value, { things: [{ bench, kind, id }] });
    await router.push({ name: 'runs', params: { id: run.id } });
  });
const turnOff = () => doing(async () => offsite.take(await api.turnOffOffsite(copy.value)));

function wasSetUp(found: OffsiteView, key: string | undefined): void {
  offsite.take(found);
  recoveryKey.value = key;
  isFormShown.value = false;
}

const isWhole = computed(() => props.view.offsiteCount === props.view.keptCount);
</script>

<template>
  <section :aria-label="isBucket ? 'In a bucket' : 'On a second disk'" class="copy">
    <h2>
      <component :is="isBucket ? CloudUpload : HardDrive" :size="18" aria-hidden="true" />
      {{ isBucket ? 'In a bucket' : 'On a second disk' }}
    </h2>
    <RecoveryKey
      v-if="recoveryKey"
      :recovery-key="recoveryKey"
      what="the copy"
      @written="recoveryKey = undefined"
    />
    <template v-if="view.state === 'off'">
      <OffsiteForm v-if="isFormShown" :copy="copy" @done="wasSetUp" />
      <p v-else class="soft">
        {{
          isBucket
            ? 'Of any S3-compatible service: safe from fire and theft.'
            : 'A drive that one takes home, or a network drive.'
        }}
        <ElButton size="small" @click="isFormShown = true">Set it up…</ElButton>
      </p>
    </template>
    <form v-else-if="view.state === 'locked'" class="line" @submit.prevent="unlock">
      <p>The copy in {{ view.place }} is locked since the program was started.</p>
      <ElInput
        v-model="passphrase"
        type="password"
        show-password
        autocomplete="off"
        placeholder="Passphrase or recovery key"
        :aria-label="`Passphrase or recovery key of the copy ${isBucket ? 'in the bucket' : 'on the second disk'}`"
        class="passphrase"
      />
      <ElButton type="primary" native-type="submit" :disabled="!passphrase || busy">Unlock</ElButton>
    </form>
    <template v-else>
      <p :class="{ missing: !isWhole }">
        <strong>{{ view.offsiteCount }} of {{ view.keptCount }}</strong> sets and copies are in {{ view.place
        }}<template v-if="view.comparedAt">, compared {{ exactTime(view.comparedAt) }}</template>. This bench
        is called “{{ view.benchName }}” there.
      </p>
      <p v-if="view.isAway" class="missing" role="status">
        Its disk is not plugged in. The copy goes on by itself when it is.
      </p>
      <p v-else-if="view.fault" class="error" role="alert">{{ view.fault }}</p>
      <ElButton type="primary" :disabled="busy || view.isAway" @click="send">{{
        isWhole ? 'Compare with the copy' : 'Copy what is missing'
      }}</ElButton>
      <OffsiteLimits :view="view" @changed="offsite.take" />
      <h3>What else is there</h3>
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
      <p class="soft">
        <ElButton size="small" :disabled="busy" @click="turnOff">Stop copying</ElButton> What is there stays
        there.
      </p>
    </template>
  </section>
</template>

<style scoped>
.copy {
  display: grid;
  gap: 10px;
  justify-items: start;
  padding-top: 14px;
  border-top: 1px solid var(--rule);
}

h2 {
  display: flex;
  gap: 8px;
  align-items: center;
  font-size: 18px;
}

h3 {
  font-size: 15px;
}

p {
  max-width: 74ch;
  margin: 0;
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
