<script setup lang="ts">
import { ElButton, ElProgress, ElRadioButton, ElRadioGroup } from 'element-plus';
import { X } from 'lucide-vue-next';
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import type { ImportView } from '@keen-larder/contract/imports.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import CopyText from '../../parts/CopyText.vue';
import EmptyState from '../../parts/EmptyState.vue';
import { useImports } from '../../state/imports.ts';
import { announceError } from '../../state/notices/notices.ts';
import type { FileToCopy } from '../../uploads/upload.ts';
import DropZone from './DropZone.vue';
import ImportCopies from './ImportCopies.vue';
import ImportTable from './ImportTable.vue';
import UnlockImport from './UnlockImport.vue';

/** Files on their way into the larder. */
const props = defineProps<{ id?: string }>();
const store = useImports();
const router = useRouter();
const open = computed(() => (props.id ? store.byId(props.id) : undefined));
const others = computed(() => store.all.filter(({ id }) => id !== props.id));

async function copy(files: readonly FileToCopy[]): Promise<void> {
  const id = await store.copy(files);
  if (id) await router.push({ name: 'import', params: { id } });
}

async function discard({ id }: ImportView): Promise<void> {
  await api.discardImport(id).then(() => store.load(), announceError);
  await router.push({ name: 'import' });
}

const percent = (done: number, all: number) => (all === 0 ? 100 : Math.floor((done / all) * 100));
const imagesText = ({ images }: ImportView) => `${images.length} ${images.length === 1 ? 'image' : 'images'}`;
const copiesText = ({ copies }: ImportView) =>
  `${copies.length === 1 ? 'a copy' : `${copies.length} copies`} of ${copies.length === 1 ? 'an app' : 'apps'}`;
const stateText = (view: ImportView) =>
  view.fault ??
  (view.state === 'arriving'
    ? 'still being copied'
    : view.state === 'looking'
      ? 'being looked at'
      : `${[
          ...(view.images.length > 0 || view.copies.length === 0 ? [imagesText(view)] : []),
          ...(view.copies.length > 0 ? [copiesText(view)] : []),
        ].join(' and ')}, ${sizeText(view.bytes)}`);
</script>

<template>
  <RouterLink to="/larder" class="back">Larder</RouterLink>
  <h1>Import</h1>
  <DropZone @files="copy" />
  <p v-if="store.view" class="soft folder">
    Or put them into <CopyText :value="store.view.folder" name="folder" />: they are found by themselves.
  </p>
  <ul v-if="store.copies.length" class="copies" aria-label="Copies under way">
    <li v-for="each in store.copies" :key="each.key">
      <span class="name">{{ each.name }}</span>
      <template v-if="each.error">
        <span class="error" role="alert">{{ each.error }}</span>
      </template>
      <template v-else>
        <ElProgress :percentage="percent(each.doneBytes, each.bytes)" :stroke-width="8" />
        <span class="soft"
          >{{ sizeText(each.doneBytes) }} of {{ sizeText(each.bytes) }} copied and digested</span
        >
      </template>
      <ElButton
        size="small"
        text
        :aria-label="`${each.error ? 'Put aside' : 'Cancel'} ${each.name}`"
        @click="each.cancel"
        ><X :size="15" aria-hidden="true"
      /></ElButton>
    </li>
  </ul>
  <ul v-if="others.length" class="waiting" aria-label="Found and not imported">
    <li v-for="each in others" :key="each.id">
      <RouterLink :to="{ name: 'import', params: { id: each.id } }">{{ each.id }}</RouterLink>
      <span class="soft">{{ stateText(each) }}</span>
    </li>
  </ul>
  <section v-if="open" :aria-label="open.id">
    <h2>
      {{ open.id }} <span class="soft">{{ stateText(open) }}</span>
      <ElButton v-if="open.isCopy && open.state === 'ready'" size="small" class="end" @click="discard(open)"
        >Discard this copy</ElButton
      >
    </h2>
    <ElRadioGroup
      v-if="open.images.length && open.copies.length"
      :model-value="store.isForCopies(open) ? 'copies' : 'images'"
      size="small"
      class="which"
      aria-label="What is taken in"
      @update:model-value="(what) => (store.doing[open!.id] = what as 'images' | 'copies')"
    >
      <ElRadioButton value="images">{{ imagesText(open) }}</ElRadioButton>
      <ElRadioButton value="copies">{{ copiesText(open) }}</ElRadioButton>
    </ElRadioGroup>
    <UnlockImport v-if="open.locked.length" :found="open" />
    <p v-if="open.said.length" class="said">
      <template v-if="!store.isForCopies(open)">The package says:</template> {{ open.said.join(' ') }}
    </p>
    <ImportCopies v-if="store.isForCopies(open)" :found="open" />
    <ImportTable v-else-if="open.images.length" :found="open" />
    <EmptyState v-else-if="open.state === 'ready'" title="Nothing to take in">
      {{ open.fault ?? 'No image and no app is among its files.' }}
    </EmptyState>
  </section>
  <EmptyState v-else-if="id" title="These files are not waiting here">
    They were imported, or discarded. <RouterLink to="/larder/import">Files that wait</RouterLink>
  </EmptyState>
</template>

<style scoped>
.back {
  font-size: 13px;
}

.said {
  margin: 4px 0 10px;
  overflow-wrap: anywhere;
}

h1 {
  margin-bottom: 12px;
  font-size: 24px;
}

.folder {
  margin-top: 8px;
  font-size: 13px;
}

.copies,
.waiting {
  margin-top: 14px;
}

.copies li,
.waiting li {
  display: grid;
  align-items: center;
  gap: 12px;
  padding: 6px 2px;
  border-bottom: 1px solid var(--rule);
}

.copies li {
  grid-template-columns: minmax(120px, 1fr) minmax(120px, 1fr) auto auto;
}

.waiting li {
  grid-template-columns: minmax(120px, 1fr) auto;
}

.name {
  overflow: hidden;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}

.error {
  grid-column: 2 / 4;
  color: var(--beetroot);
  font-weight: 600;
}

section {
  margin-top: 18px;
}

h2 {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 12px;
  margin-bottom: 8px;
  font-size: 17px;
}

h2 .soft {
  font-size: 13px;
  font-weight: 400;
}

.which {
  margin-bottom: 8px;
}

.end {
  margin-left: auto;
}
</style>
