<script setup lang="ts">
import { computed } from 'vue';
import { roleNames, roles, type Role } from '@keen-larder/core/phone/roles.ts';
import { roleColour } from '../../look/roles.ts';

const props = defineProps<{ strip: readonly { readonly role: Role; readonly bytes: number }[] }>();

/** Small roles stay visible: widths follow the logarithm of the size. */
const pieces = computed(() =>
  roles
    .map((role) => props.strip.find((each) => each.role === role))
    .filter((piece) => piece !== undefined)
    .map(({ role, bytes }) => ({ role, share: Math.max(1, Math.log2(bytes / 65536 + 2)) })),
);
const title = computed(() => pieces.value.map(({ role }) => roleNames[role].name).join(', '));
</script>

<template>
  <div class="strip" :role="title ? 'img' : undefined" :aria-label="title || undefined" :title="title">
    <span
      v-for="{ role, share } in pieces"
      :key="role"
      :style="{ flexGrow: share, background: roleColour(role) }"
    />
  </div>
</template>

<style scoped>
.strip {
  display: flex;
  height: 8px;
  background: var(--rule);
}
</style>
