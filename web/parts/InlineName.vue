<script setup lang="ts">
import { ElInput } from 'element-plus';
import { Pencil } from 'lucide-vue-next';
import { nextTick, ref, useTemplateRef } from 'vue';

/** A heading that is renamed where it stands: Enter or leaving the field keeps, Escape leaves it as it was. */
const props = defineProps<{ value: string; name: string; maxlength: number }>();
const emit = defineEmits<{ rename: [text: string] }>();
const field = useTemplateRef<InstanceType<typeof ElInput>>('field');
const pencil = useTemplateRef<HTMLButtonElement>('pencil');
const editing = ref(false);
const text = ref('');

async function edit(): Promise<void> {
  text.value = props.value;
  editing.value = true;
  await nextTick();
  field.value?.select();
}

/** The keyboard goes on from where it began; whoever left the field for elsewhere stays there. */
async function end(): Promise<void> {
  editing.value = false;
  await nextTick();
  if (document.activeElement === document.body) pencil.value?.focus();
}

function keep(): void {
  if (!editing.value) return;
  void end();
  const wanted = text.value.trim();
  if (wanted && wanted !== props.value) emit('rename', wanted);
}
</script>

<template>
  <ElInput
    v-if="editing"
    ref="field"
    v-model="text"
    :maxlength="maxlength"
    :aria-label="name"
    class="field"
    @keydown.enter.prevent="keep"
    @keydown.esc="end"
    @blur="keep"
  />
  <p v-if="editing && text.length > maxlength - 20" class="soft count" role="status">
    {{ text.length }} of at most {{ maxlength }} letters
  </p>
  <h1 v-if="!editing">
    {{ value }}
    <button ref="pencil" type="button" :aria-label="`Rename: ${name}`" title="Rename" @click="edit">
      <Pencil :size="14" aria-hidden="true" />
    </button>
  </h1>
</template>

<style scoped>
h1 {
  font-size: 23px;
  line-height: 1.25;
}

button {
  padding: 3px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  cursor: pointer;
}

.count {
  font-size: 12.5px;
}

.field {
  max-width: 480px;
}
</style>
