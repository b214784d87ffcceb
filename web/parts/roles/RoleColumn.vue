<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core';
import { ElTableColumn } from 'element-plus';
import RoleBadge from './RoleBadge.vue';

/** The column of roles: named where there is room, their code alone where there is not. */
const isWide = useMediaQuery('(min-width: 1181px)');
</script>

<template>
  <ElTableColumn label="Role" :width="isWide ? 124 : 56">
    <template #default="{ row }"><RoleBadge :role="row.role" :named="isWide" /></template>
  </ElTableColumn>
</template>
