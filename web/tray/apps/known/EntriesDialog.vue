<script setup lang="ts" generic="Entry">
import { ElButton, ElDialog, ElInput, ElOption, ElSelect } from 'element-plus';
import { X } from 'lucide-vue-next';
import { onMounted, ref } from 'vue';

/** A column of a list that is edited in place. */
export interface EntryColumn {
  readonly key: string;
  readonly title: string;
  /** Of a row's field, for who does not see the column. */
  readonly label: (row: Readonly<Record<string, string>>, index: number) => string;
  readonly most?: number;
  /** So many lines at most; one when it is left out. */
  readonly lines?: number;
  /** Letters of one width, no spelling. */
  readonly isCode?: boolean;
  readonly choices?: readonly string[];
}

/** A list that the workshop keeps of what it knows: to read, to change, to hand on as a file. */
const props = defineProps<{
  title: string;
  /** Of the file that it is handed on as. */
  fileName: string;
  columns: readonly EntryColumn[];
  load: () => Promise<readonly Entry[]>;
  save: (list: Entry[]) => Promise<unknown>;
  rowOf: (entry: Entry) => Record<string, string>;
  /** @returns undefined for a row that was left empty */
  entryOf: (row: Readonly<Record<string, string>>) => Entry | undefined;
  /** What tells one entry from another. */
  keyOf: (entry: Entry) => string;
  isEntry: (value: Record<string, unknown>) => boolean;
  /** What a file must be: `a list of trackers: … {"name", …}`. */
  mustBe: string;
  newRow: Readonly<Record<string, string>>;
}>();
const emit = defineEmits<{ close: []; saved: [] }>();

const rows = ref<Record<string, string>[]>([]);
const error = ref<string>();
const busy = ref(true);
const picker = ref<HTMLInputElement>();
const listed = (): Entry[] =>
  rows.value.map((row) => props.entryOf(row)).filter((entry) => entry !== undefined);

/** Shows what goes wrong in the dialog itself. */
async function attempt(work: () => Promise<void>): Promise<void> {
  busy.value = true;
  try {
    await work();
    error.value = undefined;
  } catch (failure) {
    error.value = (failure as Error).message;
  } finally {
    busy.value = false;
  }
}
onMounted(() => attempt(async () => void (rows.value = (await props.load()).map(props.rowOf))));

const save = () =>
  attempt(async () => {
    await props.save(listed());
    emit('saved');
    emit('close');
  });

function hand(): void {
  const url = URL.createObjectURL(
    new Blob([`${JSON.stringify(listed(), null, 2)}\n`], { type: 'application/json' }),
  );
  const link = document.createElement('a');
  [link.href, link.download] = [url, props.fileName];
  link.click();
  URL.revokeObjectURL(url);
}

/** Entries of a file come in place of those of the same key; nothing counts before it is saved. */
const take = (file: File | undefined) =>
  attempt(async () => {
    if (!file) return;
    const came = entriesIn(await file.text(), file.name);
    const keys = new Set(came.map(props.keyOf));
    const isKept = (row: Record<string, string>) => {
      const entry = props.entryOf(row);
      return entry === undefined || !keys.has(props.keyOf(entry));
    };
    rows.value = [...rows.value.filter(isKept), ...came.map(props.rowOf)];
  });

function entriesIn(text: string, name: string): Entry[] {
  const wrong = new Error(`${name} is not ${props.mustBe}.`);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw wrong;
  }
  const isEntry = (each: unknown): each is Entry => props.isEntry((each ?? {}) as Record<string, unknown>);
  if (!Array.isArray(value) || !value.every(isEntry)) throw wrong;
  return value;
}

function picked(event: Event): void {
  const input = event.target as HTMLInputElement;
  void take(input.files?.[0]);
  input.value = '';
}
</script>

<template>
  <ElDialog model-value :title="title" width="min(960px, 96vw)" append-to-body @close="emit('close')">
    <p class="soft"><slot /></p>
    <table class="facts">
      <thead>
        <tr>
          <th v-for="column in columns" :key="column.key">{{ column.title }}</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, i) in rows" :key="i">
          <td v-for="column in columns" :key="column.key">
            <ElSelect
              v-if="column.choices"
              v-model="row[column.key]"
              size="small"
              class="choice"
              :aria-label="column.label(row, i)"
            >
              <ElOption v-for="each in column.choices" :key="each" :value="each" :label="each" />
            </ElSelect>
            <ElInput
              v-else
              v-model="row[column.key]"
              size="small"
              :type="column.lines ? 'textarea' : 'text'"
              :autosize="column.lines ? { minRows: 1, maxRows: column.lines } : false"
              :class="{ code: column.isCode }"
              :spellcheck="!column.isCode"
              :aria-label="column.label(row, i)"
              :maxlength="column.most"
            />
          </td>
          <td>
            <ElButton
              size="small"
              text
              :aria-label="`Remove ${row[columns[0]!.key] || 'this row'}`"
              @click="rows.splice(i, 1)"
              ><X :size="15" aria-hidden="true"
            /></ElButton>
          </td>
        </tr>
      </tbody>
    </table>
    <p>
      <ElButton size="small" @click="rows.push({ ...newRow })">Add one</ElButton>
    </p>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <template #footer>
      <div class="foot">
        <input ref="picker" type="file" accept=".json,application/json" hidden @change="picked" />
        <ElButton @click="picker?.click()">Take in a file…</ElButton>
        <ElButton @click="hand">Save as a file</ElButton>
        <ElButton class="end" @click="emit('close')">Leave as it was</ElButton>
        <ElButton type="primary" :loading="busy" @click="save">Keep the list</ElButton>
      </div>
    </template>
  </ElDialog>
</template>

<style scoped>
table {
  width: 100%;
  margin: 10px 0 8px;
}

td {
  padding: 3px 8px 3px 0;
  vertical-align: top;
}

.code {
  font-family: var(--mono);
}

.choice {
  width: 104px;
}

.error {
  margin-top: 8px;
  color: var(--beetroot);
}

.foot {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}

.end {
  margin-left: auto;
}
</style>
