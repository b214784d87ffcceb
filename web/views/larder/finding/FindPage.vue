<script setup lang="ts">
import { ElInput, ElSwitch } from 'element-plus';
import { File, Folder, Link2 } from 'lucide-vue-next';
import { useDebounceFn, useIntervalFn } from '@vueuse/core';
import { computed, onMounted, ref, shallowRef, useTemplateRef, watch } from 'vue';
import { useRoute, useRouter, type RouteLocationRaw } from 'vue-router';
import type { FindView, FoundFile, FoundSet, NameIndexView } from '@keen-larder/contract/larder/finding.ts';
import { longestQuery } from '@keen-larder/core/larder/finding.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { listText } from '@keen-larder/core/runsheet/check.ts';
import { api } from '../../../api/client.ts';
import EmptyState from '../../../parts/EmptyState.vue';
import { exactTime } from '../../../parts/time.ts';
import { useCopies } from '../../../state/larder/copies.ts';
import { copyPlaces } from '../../../state/larder/offsite.ts';
import { useLarder } from '../../../state/larder.ts';
import { announceError } from '../../../state/notices/notices.ts';
import FoundGroup from './FoundGroup.vue';

/** One field over everything that is kept; what is looked for stands in the address. */
const route = useRoute();
const router = useRouter();
const larder = useLarder();
const copies = useCopies();
const text = ref(String(route.query['q'] ?? ''));
const found = shallowRef<FindView>();
const index = shallowRef<NameIndexView>();
const error = ref<string>();
const field = useTemplateRef('field');
let asked = 0;

async function find(): Promise<void> {
  const mine = ++asked;
  const q = text.value.trim();
  if (q !== String(route.query['q'] ?? '')) void router.replace({ query: q ? { q } : {} });
  try {
    const answer = q ? await api.find(q) : undefined;
    // Answers may come in another order than they were asked for.
    if (mine !== asked) return;
    found.value = answer;
    error.value = undefined;
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
const findSoon = useDebounceFn(find, 120);
const loadIndex = () =>
  api.names().then(
    (view) => (index.value = view),
    () => undefined,
  );
watch(text, findSoon);
watch(() => larder.version, loadIndex);
useIntervalFn(() => {
  if (index.value?.unread !== 0) void loadIndex();
}, 3000);
onMounted(() => {
  void loadIndex();
  field.value?.focus();
  if (text.value) void find();
});

const setUserData = (value: boolean) =>
  api.setNames({ userData: value }).then((view) => (index.value = view), announceError);

const isNothing = computed(
  () => found.value && Object.values(found.value).every((hits: { found: unknown[] }) => !hits.found.length),
);
const icons = { folder: Folder, file: File, link: Link2, other: File } as const;
type Held = Pick<FoundSet, 'elsewhere'>;
const isElsewhere = ({ elsewhere }: Held) => elsewhere.length > 0;
/** Of a set that the larder has no more: it is fetched first. */
const lies = ({ elsewhere }: Held) =>
  elsewhere.length > 0 ? `, ${listText(elsewhere.map((copy) => copyPlaces[copy]))} alone` : '';
/** Where the file lies within its newest image. */
const placeOf = (file: FoundFile): RouteLocationRaw => {
  if (!file.sets[0]) return { name: 'copies' };
  if (isElsewhere(file.sets[0])) return { name: 'offsite' };
  const folder = file.path.slice(0, file.path.lastIndexOf('/')) || '/';
  const isFolder = file.kind === 'folder';
  return {
    name: 'inside',
    params: { id: file.sets[0].id, partition: file.partition },
    query: {
      ...(file.part && { part: file.part }),
      path: isFolder ? file.path : folder,
      ...(!isFolder && { file: file.path }),
    },
  };
};
const others = ({ sets, copies }: FoundFile) => {
  const { length } = sets.length > 0 ? sets : copies;
  return length > 1 ? `, and ${length - 1}${length === 5 ? ' or more' : ''} before it` : '';
};
const whereOf = ({ part, partition, sets: [set], copies: [copy] }: FoundFile) =>
  set
    ? `${part || partition} in “${set.label}” of ${set.nickname}${lies(set)}`
    : `${partition} of the copy of ${copy!.label} of ${copy!.nickname}, ${exactTime(copy!.createdAt)}`;
/** The tray of the copies tells about it. */
function show({ sets, copies: [copy] }: FoundFile): void {
  if (sets.length === 0 && copy) copies.draft.shown = copy.id;
}
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Find</h1>
    <ElInput
      ref="field"
      v-model="text"
      data-filter
      clearable
      :maxlength="longestQuery"
      placeholder="A name, a package, a build, a checksum, the name of a file…"
      aria-label="Find in everything that is kept"
      class="field"
      size="large"
    />
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <div v-if="found" class="groups" aria-live="polite">
      <FoundGroup title="Phones" :hits="found.phones">
        <template #name="{ hit }"
          ><RouterLink :to="{ name: 'bench', params: { serial: hit.serial } }">{{
            hit.nickname
          }}</RouterLink></template
        >
        <template #about="{ hit }">{{ hit.maker }} {{ hit.model }} · {{ hit.serial }}</template>
      </FoundGroup>
      <FoundGroup title="Sets" :hits="found.sets">
        <template #name="{ hit }"
          ><RouterLink
            :to="isElsewhere(hit) ? { name: 'offsite' } : { name: 'set', params: { id: hit.id } }"
            >{{ hit.label }}</RouterLink
          ></template
        >
        <template #digest="{ hit }"
          ><code v-if="hit.fingerprint" :title="hit.fingerprint">{{
            hit.fingerprint.slice(0, 12)
          }}</code></template
        >
        <template #about="{ hit }"
          >{{ hit.nickname }} · {{ exactTime(hit.createdAt) }}{{ lies(hit)
          }}{{ hit.build ? ` · ${hit.build}` : '' }}{{ hit.note ? ` · ${hit.note}` : '' }}</template
        >
      </FoundGroup>
      <FoundGroup title="Images" :hits="found.images">
        <template #name="{ hit }"
          ><RouterLink :to="{ name: 'inside', params: { id: hit.setId, partition: hit.partition } }"
            ><code>{{ hit.partition }}</code></RouterLink
          ></template
        >
        <template #digest="{ hit }"><code :title="hit.sha256">{{ hit.sha256.slice(0, 12) }}</code></template>
        <template #about="{ hit }"
          >{{ sizeText(hit.bytes) }} · “{{ hit.label }}” of {{ hit.nickname }}</template
        >
      </FoundGroup>
      <FoundGroup title="Apps that were copied" :hits="found.apps">
        <template #name="{ hit }"><RouterLink to="/larder/copies">{{ hit.label }}</RouterLink></template>
        <template #about="{ hit }"
          ><code>{{ hit.package }}</code> · {{ hit.copies }} {{ hit.copies === 1 ? 'copy' : 'copies' }} ·
          {{ hit.nicknames.join(', ') }} · {{ exactTime(hit.newestAt) }}</template
        >
      </FoundGroup>
      <FoundGroup title="Files within images and copies" :hits="found.files">
        <template #name="{ hit }">
          <component :is="icons[hit.kind]" :size="14" aria-hidden="true" class="kind" />
          <RouterLink :to="placeOf(hit)" @click="show(hit)"><code>{{ hit.path }}</code></RouterLink>
        </template>
        <template #digest="{ hit }"
          ><code v-if="hit.sha256" :title="hit.sha256">{{ hit.sha256.slice(0, 12) }}</code></template
        >
        <template #about="{ hit }"
          >{{ hit.kind === 'file' ? `${sizeText(hit.bytes)} · ` : '' }}{{ whereOf(hit)
          }}{{ others(hit) }}</template
        >
      </FoundGroup>
    </div>
    <EmptyState v-if="isNothing" title="Nothing of that is kept">
      Labels, notes, phones, builds, checksums, copied apps and the names of files within images were looked
      at<template v-if="index?.unread">; {{ index.unread }} images and file systems are not read yet</template
      >.
    </EmptyState>
    <footer v-if="index" class="soft">
      <p>
        {{ index.files.toLocaleString('en') }} names of {{ index.trees }} file systems and archives, in
        {{ sizeText(index.bytes) }}.
        <template v-if="index.unread"
          >{{ index.unread }} {{ index.unread === 1 ? 'is' : 'are' }} still to be read, while no run needs the
          disk.</template
        >
        <template v-if="index.faults"
          >{{ index.faults }} could not be read to the end: they are damaged.</template
        >
      </p>
      <label
        ><ElSwitch
          :model-value="index.userData"
          size="small"
          aria-label="Names within user data"
          @change="(value) => setUserData(value === true)"
        />
        Names of files within user data as well. Where this is off, none of them are written down.</label
      >
    </footer>
  </article>
</template>

<style scoped>
.field {
  max-width: 620px;
}

.groups {
  display: grid;
  gap: 14px;
  min-width: 0;
}

.kind {
  margin-right: 6px;
  color: var(--ink-soft);
  vertical-align: -2px;
}

footer {
  display: grid;
  gap: 6px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}

footer label {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
