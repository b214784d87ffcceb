<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { reactive, ref } from 'vue';
import type { OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { api } from '../../../api/client.ts';
import NewPassphrase from '../sealing/NewPassphrase.vue';

/** Takes a bucket into use. */
const emit = defineEmits<{ done: [view: OffsiteView, recoveryKey: string | undefined] }>();
const place = reactive({
  endpoint: '',
  region: 'us-east-1',
  bucket: '',
  prefix: '',
  accessKeyId: '',
  secretAccessKey: '',
});
const benchName = ref('');
const passphrase = ref('');
const again = ref('');
const error = ref<string>();
const busy = ref(false);

const fields = [
  {
    name: 'endpoint',
    label: 'Address of the service',
    hint: 'https://… ; left empty for the usual one of the region',
  },
  { name: 'region', label: 'Region', hint: '' },
  { name: 'bucket', label: 'Bucket', hint: 'an empty one, or one that other benches use' },
  { name: 'prefix', label: 'Folder in it', hint: 'e.g. larder/ ; left empty for none' },
  { name: 'accessKeyId', label: 'Access key', hint: 'left empty where the environment has it' },
  { name: 'secretAccessKey', label: 'Secret access key', hint: '' },
] as const;

async function start(): Promise<void> {
  error.value = undefined;
  if (passphrase.value !== again.value) {
    error.value = 'The passphrase was not written the same way twice.';
    return;
  }
  busy.value = true;
  try {
    const { region, bucket, prefix } = place;
    const { view, recoveryKey } = await api.setUpOffsite({
      place: {
        ...{ region, bucket, prefix },
        ...(place.endpoint && { endpoint: place.endpoint }),
        ...(place.accessKeyId && { accessKeyId: place.accessKeyId }),
        ...(place.secretAccessKey && { secretAccessKey: place.secretAccessKey }),
      },
      passphrase: passphrase.value,
      benchName: benchName.value,
    });
    emit('done', view, recoveryKey);
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form aria-label="A bucket" @submit.prevent="start">
    <label v-for="field in fields" :key="field.name">
      <span>{{ field.label }}</span>
      <ElInput
        v-model="place[field.name]"
        :type="field.name === 'secretAccessKey' ? 'password' : 'text'"
        autocomplete="off"
        :placeholder="field.hint"
        :aria-label="field.label"
      />
    </label>
    <label>
      <span>This bench</span>
      <ElInput
        v-model="benchName"
        placeholder="what other benches see, e.g. Front bench"
        aria-label="This bench"
      />
    </label>
    <NewPassphrase v-model="passphrase" v-model:again="again" hint="; of a bucket in use, its own" />
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <ElButton
      type="primary"
      native-type="submit"
      :disabled="busy || !place.bucket || !benchName || !passphrase"
      >Use this bucket</ElButton
    >
  </form>
</template>

<style scoped>
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

.error {
  max-width: 74ch;
  color: var(--beetroot);
}
</style>
