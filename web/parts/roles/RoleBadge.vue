<script setup lang="ts">
import { roleNames, type Role } from '@keen-larder/core/phone/roles.ts';
import { roleColour } from '../../look/roles.ts';

defineProps<{ role: Role; named?: boolean }>();
</script>

<template>
  <span class="role">
    <abbr :title="roleNames[role].name" :style="{ background: roleColour(role) }">{{
      roleNames[role].code
    }}</abbr>
    <span v-if="named">{{ roleNames[role].name }}</span>
  </span>
</template>

<style scoped>
.role {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  white-space: nowrap;
}

abbr {
  padding: 0 4px;
  border-radius: 2px;
  color: var(--card);
  font: 600 11px/16px var(--mono);
  text-decoration: none;
}
</style>
