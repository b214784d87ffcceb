<script setup lang="ts">
import { ElButton, ElCheckbox, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, reactive, ref } from 'vue';
import type { JobDetail } from '@keen-larder/contract/jobs.ts';
import { usualAgreement } from '@keen-larder/core/jobs/stages.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';

/** What is written down when a phone is received. */
const props = defineProps<{ serial?: string }>();
const emit = defineEmits<{ opened: [job: JobDetail]; left: [] }>();
const bench = useBench();
const draft = reactive({
  who: '',
  contact: '',
  complaint: '',
  arrival: '',
  accessories: '',
  agreed: { ...usualAgreement },
  serials: props.serial ? [props.serial] : [],
});
const error = ref<string>();
const busy = ref(false);
const isReady = computed(() => draft.who.trim() !== '' && draft.serials.length > 0);

async function open(): Promise<void> {
  busy.value = true;
  error.value = undefined;
  try {
    emit('opened', await api.openJob({ ...draft, who: draft.who.trim() }));
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form aria-label="New job card" @submit.prevent="open">
    <label>
      <span>Who</span>
      <ElInput v-model="draft.who" placeholder="a place or a name" maxlength="120" aria-label="Who" />
    </label>
    <label>
      <span>Phones</span>
      <ElSelect v-model="draft.serials" multiple filterable aria-label="Phones">
        <ElOption
          v-for="each in bench.phones"
          :key="each.serial"
          :value="each.serial"
          :label="`${each.nickname} · ${each.model} · ${each.serial}`"
        />
      </ElSelect>
    </label>
    <label>
      <span>What is wrong</span>
      <ElInput
        v-model="draft.complaint"
        type="textarea"
        :rows="2"
        maxlength="4000"
        aria-label="What is wrong"
      />
    </label>
    <fieldset>
      <legend>Agreed</legend>
      <ElCheckbox v-model="draft.agreed.keepFirst">Keep what is on it first</ElCheckbox>
      <ElCheckbox v-model="draft.agreed.mayLose">User data may be lost</ElCheckbox>
      <ElCheckbox v-model="draft.agreed.mayLook">We may look into user data</ElCheckbox>
    </fieldset>
    <label>
      <span>On arrival</span>
      <ElInput
        v-model="draft.arrival"
        placeholder="cracks, water, battery"
        maxlength="4000"
        aria-label="Condition on arrival"
      />
    </label>
    <label>
      <span>Accessories</span>
      <ElInput
        v-model="draft.accessories"
        placeholder="case, charger, SIM card"
        maxlength="400"
        aria-label="Accessories"
      />
    </label>
    <label>
      <span>Contact</span>
      <ElInput v-model="draft.contact" placeholder="optional" maxlength="200" aria-label="Contact" />
    </label>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <p class="end">
      <ElButton type="primary" native-type="submit" :disabled="!isReady || busy">Open the card</ElButton>
      <ElButton @click="emit('left')">Leave it</ElButton>
    </p>
  </form>
</template>

<style scoped>
form {
  display: grid;
  gap: 8px;
  max-width: 620px;
  padding: 14px 16px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

form > label {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 10px;
  align-items: center;
}

fieldset {
  display: grid;
  gap: 4px;
  margin: 0;
  padding: 0;
  border: 0;
}

legend {
  padding: 0;
}

.end {
  display: flex;
  gap: 8px;
}
</style>
