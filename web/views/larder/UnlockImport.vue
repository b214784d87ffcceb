<script setup lang="ts">
import type { ImportView } from '@keen-larder/contract/imports.ts';
import { api } from '../../api/client.ts';
import PassphraseForm from '../../parts/PassphraseForm.vue';
import { useImports } from '../../state/imports.ts';

/** Opens what is encrypted among files that came. */
const props = defineProps<{ found: ImportView }>();
const store = useImports();

async function unlock(passphrase: string): Promise<void> {
  await api.unlockImport(props.found.id, { passphrase });
  await store.load();
}
</script>

<template>
  <PassphraseForm
    class="unlock"
    :label="`Unlock ${found.id}`"
    :of="`Passphrase of ${found.locked.join(', ')}`"
    placeholder="Passphrase that it was made with"
    go="Look into it"
    going="Looking into it…"
    :open="unlock"
  />
</template>

<style scoped>
.unlock {
  margin-bottom: 10px;
}
</style>
