<script setup lang="ts">
import { ElButton } from 'element-plus';
import { fromEvent } from 'file-selector';
import { FileInput, FolderInput } from 'lucide-vue-next';
import { ref, useTemplateRef } from 'vue';
import type { FileToCopy } from '../../uploads/upload.ts';

/** Takes files and folders, dropped or chosen. */
const emit = defineEmits<{ files: [files: FileToCopy[]] }>();
const over = ref(false);
const fileInput = useTemplateRef<HTMLInputElement>('fileInput');
const folderInput = useTemplateRef<HTMLInputElement>('folderInput');

async function take(event: Event): Promise<void> {
  over.value = false;
  const found = (await fromEvent(event)).filter((each): each is typeof each & File => each instanceof File);
  const files = found
    .map((file) => ({ file, path: pathOf(file) }))
    // What folders carry along for the system is nothing to keep.
    .filter(({ path }) => path.split('/').every((part) => !part.startsWith('.')));
  if (files.length > 0) emit('files', files);
  if (event.target instanceof HTMLInputElement) event.target.value = '';
}

const pathOf = (file: File & { path?: string; relativePath?: string }) =>
  (file.webkitRelativePath || file.relativePath || file.path || file.name).replace(/^\.?\//, '');
</script>

<template>
  <div
    class="drop"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="take"
  >
    <p><strong>Drop image files or folders here</strong>, compressed or not, or</p>
    <p class="ways">
      <ElButton @click="fileInput?.click()"
        ><FileInput :size="15" aria-hidden="true" />&nbsp;Choose files…</ElButton
      >
      <ElButton @click="folderInput?.click()"
        ><FolderInput :size="15" aria-hidden="true" />&nbsp;Choose a folder…</ElButton
      >
    </p>
    <input ref="fileInput" type="file" multiple hidden aria-label="Files to import" @change="take" />
    <input
      ref="folderInput"
      type="file"
      webkitdirectory
      hidden
      aria-label="Folder to import"
      @change="take"
    />
  </div>
</template>

<style scoped>
.drop {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  padding: 14px 16px;
  border: 1.5px dashed var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

.over {
  border-color: var(--action);
  background: var(--action-tint);
}

.ways {
  display: flex;
  gap: 8px;
}

.ways .el-button {
  margin: 0;
}
</style>
