<script setup lang="ts">
import { ElButton } from 'element-plus';
import { Paperclip, X } from 'lucide-vue-next';
import { ref, useTemplateRef } from 'vue';
import type { JobDetail } from '@keen-larder/contract/jobs.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';

/** Files and photos of a card: added by choosing or dropping, shown where they are pictures. */
const props = defineProps<{ job: JobDetail }>();
const emit = defineEmits<{ changed: [job: JobDetail] }>();
const chooser = useTemplateRef<HTMLInputElement>('chooser');
const error = ref<string>();
const busy = ref(false);
const isOver = ref(false);
/** Whose removal is asked about. */
const asked = ref<string>();

async function add(files: Iterable<File>): Promise<void> {
  error.value = undefined;
  busy.value = true;
  for (const file of files) {
    try {
      emit('changed', await api.addJobFile(props.job.id, file));
    } catch (failure) {
      error.value = `${file.name}: ${(failure as Error).message}`;
    }
  }
  busy.value = false;
}
function chosen(): void {
  const { files } = chooser.value!;
  void add([...(files ?? [])]).then(() => (chooser.value!.value = ''));
}
function dropped({ dataTransfer }: DragEvent): void {
  isOver.value = false;
  void add([...(dataTransfer?.files ?? [])]);
}
async function remove(id: string): Promise<void> {
  asked.value = undefined;
  try {
    emit('changed', await api.removeJobFile(props.job.id, id));
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
</script>

<template>
  <section
    aria-label="Files and photos"
    class="files"
    :class="{ over: isOver }"
    @dragover.prevent="isOver = true"
    @dragleave="isOver = false"
    @drop.prevent="dropped"
  >
    <header>
      <h2 class="zone">Files and photos</h2>
      <input ref="chooser" type="file" multiple hidden aria-label="Files to add" @change="chosen" />
      <ElButton size="small" :loading="busy" @click="chooser?.click()"
        ><Paperclip :size="14" aria-hidden="true" />&nbsp;Add…</ElButton
      >
    </header>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <ul v-if="job.files.length">
      <li v-for="file in job.files" :key="file.id">
        <a v-if="file.isPicture" :href="downloads.jobPicture(job.id, file.id)" target="_blank" class="open">
          <img :src="downloads.jobPicture(job.id, file.id)" :alt="file.name" loading="lazy" />
          <span>{{ file.name }}</span>
        </a>
        <a v-else :href="downloads.jobFile(job.id, file.id)" download class="open">{{ file.name }}</a>
        <span class="soft"><SizeText :bytes="file.bytes" /> · <TimeText :at="file.at" /></span>
        <span v-if="asked === file.id" class="asked">
          <ElButton size="small" type="danger" @click="remove(file.id)">Remove it</ElButton>
          <ElButton size="small" @click="asked = undefined">Leave it</ElButton>
        </span>
        <button
          v-else
          type="button"
          class="remove"
          :aria-label="`Remove ${file.name}`"
          @click="asked = file.id"
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </li>
    </ul>
    <p v-else class="soft">Drop photos of the phone, or what its owner signed.</p>
  </section>
</template>

<style scoped>
.files {
  padding: 8px;
  border: 1px dashed var(--rule-strong);
  border-radius: 4px;
}

.over {
  border-color: var(--action);
  background: var(--action-tint);
}

header {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 6px;
}

ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 10px;
}

li {
  position: relative;
  display: grid;
  gap: 2px;
  align-content: start;
  min-width: 0;
  font-size: 12.5px;
}

.open {
  padding-right: 28px;
  display: grid;
  gap: 4px;
  overflow-wrap: anywhere;
}

img {
  width: calc(100% + 28px);
  height: 96px;
  border-radius: 3px;
  object-fit: cover;
}

.remove {
  position: absolute;
  top: 4px;
  right: 4px;
  display: inline-grid;
  place-items: center;
  min-width: 24px;
  min-height: 24px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  color: inherit;
  cursor: pointer;
}

.asked {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}

.asked > * {
  margin: 0;
}
</style>
