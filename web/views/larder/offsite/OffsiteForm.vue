<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { computed, reactive, ref, shallowRef } from 'vue';
import type { ExportPlace } from '@keen-larder/contract/larder/exports.ts';
import type { OffsiteCopy, OffsiteView } from '@keen-larder/contract/larder/offsite.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../../api/client.ts';
import NewPassphrase from '../sealing/NewPassphrase.vue';

/** Takes a bucket, or a folder on another disk, into use. */
const props = defineProps<{ copy: OffsiteCopy }>();
const emit = defineEmits<{ done: [view: OffsiteView, recoveryKey: string | undefined] }>();
const place = reactive({
  endpoint: '',
  region: 'us-east-1',
  bucket: '',
  prefix: '',
  accessKeyId: '',
  secretAccessKey: '',
});
const isFolder = computed(() => props.copy === 'disk');
/** Drives that are plugged in, and folders that the program may use. */
const places = shallowRef<readonly ExportPlace[]>([]);
const folder = ref('');
const loadPlaces = () =>
  api.exports().then(
    (found) => {
      places.value = found.places.filter(({ kind }) => kind !== 'home');
      if (!places.value.some(({ path }) => path === folder.value)) folder.value = places.value[0]?.path ?? '';
    },
    () => undefined,
  );
if (isFolder.value) void loadPlaces();
const benchName = ref('');
const passphrase = ref('');
const again = ref('');
const error = ref<string>();
const busy = ref(false);

const isNamed = computed(() => (isFolder.value ? folder.value : place.bucket) !== '');

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
      ...(isFolder.value
        ? { folder: folder.value }
        : {
            place: {
              ...{ region, bucket, prefix },
              ...(place.endpoint && { endpoint: place.endpoint }),
              ...(place.accessKeyId && { accessKeyId: place.accessKeyId }),
              ...(place.secretAccessKey && { secretAccessKey: place.secretAccessKey }),
            },
          }),
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
  <form :aria-label="isFolder ? 'Which disk' : 'Which bucket'" @submit.prevent="start">
    <template v-if="isFolder">
      <label v-if="places.length">
        <span>Disk</span>
        <ElSelect v-model="folder" aria-label="Disk" @visible-change="loadPlaces">
          <ElOption
            v-for="each in places"
            :key="each.path"
            :value="each.path"
            :label="`${each.name} · ${sizeText(each.freeBytes)} free`"
          />
        </ElSelect>
      </label>
      <p class="soft">
        <template v-if="places.length === 0">No other disk is there. </template>
        Drives appear here when they are plugged in; other folders, of a network drive say, are named when the
        program is started: <code>npm start -- --export-to FOLDER</code>. A disk in the same room is lost in
        the same fire: take it home, and bring it back to be brought up to date.
      </p>
      <ElButton v-if="!places.length" size="small" @click="loadPlaces">Look again</ElButton>
    </template>
    <template v-else>
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
    </template>
    <template v-if="!isFolder || places.length">
      <label>
        <span>This bench</span>
        <ElInput
          v-model="benchName"
          placeholder="what other benches see, e.g. Front bench"
          aria-label="This bench"
        />
      </label>
      <NewPassphrase v-model="passphrase" v-model:again="again" hint="; of a copy in use, its own" />
      <p v-if="error" class="error" role="alert">{{ error }}</p>
      <ElButton
        type="primary"
        native-type="submit"
        :disabled="busy || !isNamed || !benchName || !passphrase"
        >{{ isFolder ? 'Use this folder' : 'Use this bucket' }}</ElButton
      >
    </template>
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

p {
  max-width: 74ch;
}

code {
  white-space: nowrap;
}

.error {
  color: var(--beetroot);
}
</style>
