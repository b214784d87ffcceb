<script setup lang="ts" generic="Row">
import { ElCheckbox, ElTableColumn } from 'element-plus';
import { computed } from 'vue';

/** The column of ticks of a table whose rows are picked by name. */
const props = defineProps<{
  names: readonly string[];
  picked: readonly string[];
  nameOf: (row: Row) => string;
  /** What a row is called, where its name alone does not say it. */
  labelOf?: (row: Row) => string;
  /** What is picked, in the plural: `partitions`. */
  what: string;
}>();
const emit = defineEmits<{ toggle: [name: string]; all: [names: string[]] }>();
const all = computed(() => props.names.length > 0 && props.picked.length === props.names.length);
</script>

<template>
  <ElTableColumn width="42">
    <template #header>
      <ElCheckbox
        :model-value="all"
        :indeterminate="picked.length > 0 && !all"
        :aria-label="`Pick all ${what}`"
        @update:model-value="emit('all', all ? [] : [...names])"
      />
    </template>
    <template #default="{ row }">
      <ElCheckbox
        :model-value="picked.includes(nameOf(row))"
        :aria-label="`Pick ${(labelOf ?? nameOf)(row)}`"
        :disabled="!names.includes(nameOf(row))"
        @click.stop
        @update:model-value="emit('toggle', nameOf(row))"
      />
    </template>
  </ElTableColumn>
</template>
