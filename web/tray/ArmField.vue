<script setup lang="ts">
import { ElInput } from 'element-plus';

/** Arms a destructive run: the last four characters of the phone's serial, typed. */
defineProps<{ serial: string }>();
const typed = defineModel<string>({ required: true });
</script>

<template>
  <label>
    <span>To arm, type the last four characters of <code>{{ serial }}</code></span>
    <ElInput
      v-model="typed"
      :maxlength="4"
      class="field"
      aria-label="Last four characters of the serial"
      spellcheck="false"
    />
  </label>
</template>

<style scoped>
label {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-bottom: 8px;
  font-size: 13px;
}

.field {
  flex: none;
  width: 74px;
  font-family: var(--mono);
}
</style>
