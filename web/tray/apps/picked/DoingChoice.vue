<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus';
import type { AppDoing } from '@keen-larder/core/runsheet/run-sheets.ts';

/** What is done with the apps that are picked. */
const doing = defineModel<AppDoing>({ required: true });
</script>

<template>
  <ElRadioGroup v-model="doing" aria-label="What is done with them">
    <ElRadioButton value="copy">Copy</ElRadioButton>
    <ElRadioButton value="put-back">Put back</ElRadioButton>
    <ElRadioButton value="change">Turn off</ElRadioButton>
  </ElRadioGroup>
</template>
