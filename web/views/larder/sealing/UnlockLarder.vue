<script setup lang="ts">
import { api } from '../../../api/client.ts';
import PassphraseForm from '../../../parts/PassphraseForm.vue';
import { useLarder } from '../../../state/larder.ts';

/** Opens the seal of the larder. */
const larder = useLarder();

async function unlock(passphrase: string): Promise<void> {
  await api.unlockLarder({ passphrase });
  await larder.load();
}
</script>

<template>
  <PassphraseForm
    label="Unlock the larder"
    of="Passphrase or recovery key of the larder"
    placeholder="Passphrase or recovery key"
    go="Unlock"
    going="Unlocking…"
    :open="unlock"
  />
</template>
