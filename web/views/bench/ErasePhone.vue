<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { Eraser } from 'lucide-vue-next';
import { ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import type { ErasingView } from '@keen-larder/contract/larder/erasing.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { armingText } from '@keen-larder/core/runsheet/arming.ts';
import { api } from '../../api/client.ts';
import { announceError } from '../../state/notices/notices.ts';

/** Removes everything that is kept of a phone, once what goes was read and the run is armed. */
const props = defineProps<{ phone: PhoneView }>();
const router = useRouter();
const view = shallowRef<ErasingView>();
const typed = ref('');
const busy = ref(false);

const look = () => api.erasing(props.phone.serial).then((found) => (view.value = found), announceError);

async function erase(): Promise<void> {
  busy.value = true;
  try {
    const run = await api.startErasing(props.phone.serial, { armedWith: typed.value });
    await router.push({ name: 'runs', params: { id: run.id } });
  } catch (failure) {
    announceError(failure);
    await look();
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section aria-label="Erase" class="erase">
    <ElButton v-if="!view" size="small" @click="look"
      ><Eraser :size="14" aria-hidden="true" />&nbsp;Erase everything of this phone…</ElButton
    >
    <template v-else>
      <h2>Erase everything of {{ view.nickname }}</h2>
      <p>
        {{ view.sets }} {{ view.sets === 1 ? 'set' : 'sets' }}, {{ view.copies }}
        {{ view.copies === 1 ? 'copy' : 'copies' }} of apps and records and {{ view.runs }}
        {{ view.runs === 1 ? 'run' : 'runs' }} go for good, past the bin: {{ sizeText(view.ownBytes) }} on the
        shelf<template v-if="view.exports.length">, and as exports {{ view.exports.join(', ') }}</template>.
        {{ sizeText(view.sharedBytes) }} stay: other phones have the same bytes.
        <template v-if="view.offsite === 'open'">Off-site it goes as well, a day later.</template>
        The program’s own log may name the phone for some days.
      </p>
      <ul v-if="view.hindrances.length" class="hindrances" role="alert">
        <li v-for="text in view.hindrances" :key="text">{{ text }}</li>
      </ul>
      <form v-else @submit.prevent="erase">
        <ElInput
          v-model="typed"
          size="small"
          :maxlength="armingText(phone.serial).length"
          placeholder="last four of the serial"
          aria-label="Last four characters of the serial"
          class="arming"
        />
        <ElButton
          type="danger"
          size="small"
          native-type="submit"
          :disabled="busy || typed !== armingText(phone.serial)"
          >Erase it</ElButton
        >
        <ElButton size="small" @click="view = undefined">Leave it</ElButton>
      </form>
    </template>
  </section>
</template>

<style scoped>
.erase {
  display: grid;
  gap: 8px;
  justify-items: start;
  margin-top: 18px;
  padding-top: 12px;
  border-top: 1px solid var(--rule);
}

h2 {
  font-size: 16px;
}

p {
  max-width: 74ch;
}

form {
  display: flex;
  gap: 8px;
}

.arming {
  width: 190px;
}

.hindrances {
  color: var(--quince);
  font-weight: 600;
}
</style>
