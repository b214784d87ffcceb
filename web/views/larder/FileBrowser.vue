<script setup lang="ts">
import { ElInput, ElPagination } from 'element-plus';
import { Download, File, Folder, Link2 } from 'lucide-vue-next';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute } from 'vue-router';
import { folderPage, type FolderView, type PreviewView } from '@keen-larder/contract/inside.ts';
import { api } from '../../api/client.ts';
import { downloads } from '../../api/addresses.ts';
import SizeText from '../../parts/SizeText.vue';
import TimeText from '../../parts/TimeText.vue';

/** The files within an image; the path stands in the address, so that the back button walks up. */
const props = defineProps<{ setId: string; partition: string; part: string }>();
const route = useRoute();
const path = computed(() => String(route.query['path'] ?? '/'));
const chosen = computed(() => (route.query['file'] ? String(route.query['file']) : undefined));
const folder = shallowRef<FolderView>();
const files = computed(() => folder.value?.files);
const page = ref(1);
/** Letters of the names that are wanted. */
const named = ref('');
const isLarge = computed(() => named.value !== '' || (folder.value?.count ?? 0) > folderPage);
const preview = shallowRef<PreviewView>();
const error = ref<string>();

const place = (of: string) => ({ path: of, ...(props.part && { part: props.part }) });
const join = (name: string) => `${path.value === '/' ? '' : path.value}/${name}`;
const to = (query: { path: string; file?: string }) => ({
  query: { ...(props.part && { part: props.part }), ...query },
});

const where = computed(() => [props.setId, props.partition, props.part, path.value].join('\n'));
const wanted = computed(() => [where.value, page.value, named.value].join('\n'));
watch(where, () => {
  page.value = 1;
  named.value = '';
});
watch(named, () => (page.value = 1));
watch(
  wanted,
  async (now) => {
    try {
      const found = await api.files(props.setId, props.partition, {
        ...place(path.value),
        ...(page.value > 1 && { from: String((page.value - 1) * folderPage) }),
        ...(named.value && { named: named.value }),
      });
      if (now !== wanted.value) return;
      folder.value = found;
      error.value = undefined;
    } catch (failure) {
      if (now !== wanted.value) return;
      folder.value = undefined;
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);
watch(
  () => [path.value, chosen.value] as const,
  async ([, file]) => {
    preview.value = undefined;
    if (!file) return;
    preview.value = await api.preview(props.setId, props.partition, place(file)).catch((failure: unknown) => {
      error.value = (failure as Error).message;
      return undefined;
    });
  },
  { immediate: true },
);

const crumbs = computed(() => {
  const names = path.value.split('/').filter(Boolean);
  return names.map((name, i) => ({ name, path: `/${names.slice(0, i + 1).join('/')}` }));
});
const pageText = ({ count, from, files: shown }: FolderView) =>
  count <= folderPage
    ? `${count} ${count === 1 ? 'entry' : 'entries'}`
    : `${(from + 1).toLocaleString('en')}–${(from + shown.length).toLocaleString('en')} of ${count.toLocaleString('en')} entries, by name`;
const icons = { folder: Folder, file: File, link: Link2, other: File } as const;
const rights = (mode: number) => mode.toString(8).padStart(4, '0');
/** Sixteen bytes a line, as such dumps are read. */
const hexLines = computed(
  () => preview.value?.hex?.match(/.{1,32}/g)?.map((line) => line.replace(/../g, '$& ')) ?? [],
);
</script>

<template>
  <section aria-label="Files">
    <nav aria-label="Path">
      <RouterLink :to="to({ path: '/' })">{{ part || partition }}</RouterLink>
      <template v-for="crumb in crumbs" :key="crumb.path">
        <span aria-hidden="true">/</span>
        <RouterLink :to="to({ path: crumb.path })">{{ crumb.name }}</RouterLink>
      </template>
    </nav>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <div v-if="folder && files && isLarge" class="pages">
      <ElInput v-model="named" size="small" clearable aria-label="Names with" placeholder="Names with…" />
      <span class="soft">{{ pageText(folder) }}</span>
      <ElPagination
        v-if="folder.count > folderPage"
        v-model:current-page="page"
        size="small"
        layout="prev, pager, next"
        :pager-count="5"
        :page-size="folderPage"
        :total="folder.count"
      />
    </div>
    <div v-if="files" class="panes">
      <div class="scroll">
        <table>
          <thead>
            <tr>
              <th>Name</th>
              <th class="number">Size</th>
              <th>Rights</th>
              <th>Owner</th>
              <th>Changed</th>
              <th><span class="hidden">Download</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="file in files" :key="file.name" :class="{ chosen: join(file.name) === chosen }">
              <td class="name" :title="file.label">
                <component :is="icons[file.kind]" :size="14" role="img" :aria-label="file.kind" />
                <RouterLink v-if="file.kind === 'folder'" :to="to({ path: join(file.name) })">{{
                  file.name
                }}</RouterLink>
                <RouterLink v-else-if="file.kind === 'file'" :to="to({ path, file: join(file.name) })">{{
                  file.name
                }}</RouterLink>
                <span v-else
                  >{{ file.name }}<template v-if="file.linkTarget"> → {{ file.linkTarget }}</template></span
                >
                <span v-if="file.fault" class="error">{{ file.fault }}</span>
              </td>
              <td class="number"><SizeText v-if="file.kind === 'file'" :bytes="file.bytes" /></td>
              <td>
                <code>{{ rights(file.mode) }}</code>
              </td>
              <td>{{ file.uid }}:{{ file.gid }}</td>
              <td><TimeText v-if="file.modifiedAt" :at="file.modifiedAt" /></td>
              <td>
                <a
                  v-if="file.kind === 'file'"
                  :href="downloads.file(setId, partition, place(join(file.name)))"
                  download
                  :aria-label="`Download ${file.name}`"
                  :title="`Download ${file.name}`"
                  ><Download :size="14" aria-hidden="true"
                /></a>
              </td>
            </tr>
            <tr v-if="files.length === 0">
              <td colspan="6" class="soft">
                {{ named ? 'No name in this folder has these letters.' : 'This folder is empty.' }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <aside v-if="chosen" aria-label="Preview">
        <h3>{{ chosen.split('/').at(-1) }}</h3>
        <template v-if="preview">
          <p class="soft">
            <SizeText :bytes="preview.bytes" /><template v-if="preview.shownBytes < preview.bytes"
              >, the first <SizeText :bytes="preview.shownBytes" /> shown</template
            ><template v-if="preview.hex">, no text</template>
          </p>
          <pre tabindex="0">{{ preview.text ?? hexLines.join('\n') }}</pre>
        </template>
        <p v-else-if="!error" class="soft">Reading…</p>
      </aside>
    </div>
    <p v-else-if="!error" class="soft">Reading the folder…</p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
  min-width: 0;
}

nav {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  font-size: 14px;
}

.pages {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 12px;
  font-size: 13px;
}

.pages .el-input {
  width: 200px;
}

.pages .el-pagination {
  --el-pagination-bg-color: transparent;
  --el-pagination-button-disabled-bg-color: transparent;
  --el-disabled-bg-color: transparent;
}

.panes {
  display: grid;
  gap: 12px;
}

.scroll {
  overflow-x: auto;
}

table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}

th {
  color: var(--ink-soft);
  font-size: 12px;
  text-align: left;
}

td,
th {
  padding: 2px 8px 2px 0;
  border-bottom: 1px solid var(--rule);
  white-space: nowrap;
}

.number {
  text-align: right;
}

.name {
  width: 60%;
  white-space: normal;
  overflow-wrap: anywhere;
}

.name svg {
  margin-right: 6px;
  vertical-align: -2px;
  color: var(--ink-soft);
}

.chosen td {
  background: var(--action-tint);
}

.hidden {
  position: absolute;
  clip-path: inset(50%);
}

aside {
  min-width: 0;
  padding: 8px 10px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
}

h3 {
  font-size: 14px;
}

pre {
  max-height: 320px;
  margin-top: 6px;
  overflow: auto;
  font: 12px/1.45 var(--mono);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
