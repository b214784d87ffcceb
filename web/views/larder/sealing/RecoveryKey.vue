<script setup lang="ts">
import { ElButton } from 'element-plus';
import { KeyRound } from 'lucide-vue-next';

/** A recovery key, the one time that it is shown. */
defineProps<{ recoveryKey: string; what: string }>();
defineEmits<{ written: [] }>();
</script>

<template>
  <section class="key" aria-label="Recovery key">
    <h2><KeyRound :size="16" aria-hidden="true" />&nbsp;Write this down now</h2>
    <p>
      With this key {{ what }} opens when the passphrase is forgotten. It is shown once, and kept nowhere.
      Without passphrase and key nobody can open it, and no one can help.
    </p>
    <p>
      <code>{{ recoveryKey }}</code>
    </p>
    <ElButton @click="$emit('written')">It is on paper</ElButton>
  </section>
</template>

<style scoped>
h2 {
  font-size: 16px;
}

p {
  max-width: 74ch;
}

.key {
  display: grid;
  gap: 10px;
  justify-items: start;
  padding: 12px 16px;
  border: 1px solid var(--quince);
  border-radius: 3px;
  background: var(--quince-tint);
}

.key code {
  font-size: 18px;
  letter-spacing: 0.04em;
}
</style>
