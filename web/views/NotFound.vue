<script setup lang="ts">
import EmptyState from '../parts/EmptyState.vue';
</script>

<template>
  <EmptyState title="There is nothing at this address">
    <RouterLink to="/bench">Go to the bench</RouterLink>
  </EmptyState>
</template>
