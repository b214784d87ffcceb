<script setup lang="ts">
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { paletteHits, type PaletteEntry } from './palette.ts';
import { usePaletteEntries } from './palette-entries.ts';

/** Every page, phone, set and action, by typing. */
const props = defineProps<{ hasPractice: boolean }>();
const emit = defineEmits<{ keys: [] }>();
const shown = defineModel<boolean>({ required: true });
const router = useRouter();
const dialog = useTemplateRef('dialog');
const typed = ref('');
const at = ref(0);

const entries = usePaletteEntries(
  () => props.hasPractice,
  () => emit('keys'),
);
const hits = computed((): PaletteEntry[] => {
  if (!shown.value) return [];
  const found = paletteHits(entries.value, typed.value);
  const q = typed.value.trim();
  if (q === '') return found;
  const find = () => void router.push({ name: 'find', query: { q } });
  return [...found, { id: 'find', title: `Find “${q}” in all that is kept`, kind: 'Find', open: find }];
});
watch(typed, () => (at.value = 0));
async function show(): Promise<void> {
  [typed.value, at.value] = ['', 0];
  dialog.value?.showModal();
  await nextTick();
  dialog.value?.querySelector('input')?.focus();
}
onMounted(show);
watch(shown, (isShown) => (isShown ? void show() : dialog.value?.close()), { flush: 'post' });

function choose(entry: PaletteEntry | undefined): void {
  if (!entry) return;
  shown.value = false;
  entry.open();
}

function step(by: number): void {
  const { length } = hits.value;
  if (length === 0) return;
  at.value = (at.value + by + length) % length;
  void nextTick(() =>
    dialog.value?.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' }),
  );
}
</script>

<template>
  <dialog ref="dialog" class="palette" aria-label="Go to" @close="shown = false" @click.self="shown = false">
    <template v-if="shown">
      <input
        v-model="typed"
        type="text"
        role="combobox"
        aria-label="Go to, or do"
        aria-expanded="true"
        aria-controls="palette-hits"
        aria-autocomplete="list"
        :aria-activedescendant="hits[at] ? `palette-${at}` : undefined"
        placeholder="A page, a phone, a set, something to do…"
        spellcheck="false"
        autocomplete="off"
        @keydown.down.prevent="step(1)"
        @keydown.up.prevent="step(-1)"
        @keydown.enter.prevent="choose(hits[at])"
      />
      <ul id="palette-hits" role="listbox" aria-label="Hits">
        <li
          v-for="(hit, i) in hits"
          :id="`palette-${i}`"
          :key="hit.id"
          role="option"
          :aria-selected="i === at"
          @mousemove="at = i"
          @click="choose(hit)"
        >
          <span>{{ hit.title }}</span>
          <span class="soft">{{ hit.kind }}</span>
        </li>
      </ul>
    </template>
  </dialog>
</template>

<style scoped>
.palette {
  width: min(620px, calc(100vw - 32px));
  max-height: 70vh;
  margin: 12vh auto auto;
  padding: 0;
  overflow: hidden;
  border: 1px solid var(--rule-strong);
  border-radius: 6px;
  background: var(--card);
  color: var(--ink);
  box-shadow: var(--el-box-shadow);
}

.palette::backdrop {
  background: var(--el-mask-color);
}

input {
  width: 100%;
  padding: 13px 16px;
  border: 0;
  border-bottom: 1px solid var(--rule);
  background: transparent;
  color: inherit;
  font-size: 16px;
}

input:focus {
  outline: none;
}

ul {
  max-height: calc(70vh - 54px);
  padding: 6px;
  overflow-y: auto;
}

li {
  display: flex;
  gap: 16px;
  justify-content: space-between;
  padding: 7px 10px;
  border-radius: 4px;
  cursor: pointer;
}

li span:first-child {
  min-width: 0;
  overflow-wrap: anywhere;
}

li .soft {
  flex: none;
  font-size: 12.5px;
}

[aria-selected='true'] {
  background: var(--action-tint);
  box-shadow: inset 3px 0 0 var(--action);
}
</style>
