<script setup lang="ts">
import { ref, watch } from 'vue';
import { useLarder } from '../../../state/larder.ts';
import { useOffsite } from '../../../state/larder/offsite.ts';
import AloneSets from './AloneSets.vue';
import OffsitePart from './OffsitePart.vue';

/** The copies of the larder elsewhere: one in a bucket, one on another disk. */
const larder = useLarder();
const offsite = useOffsite();
const error = ref<string>();

const load = () =>
  offsite.load().then(
    () => (error.value = undefined),
    (failure: unknown) => (error.value = (failure as Error).message),
  );
watch(() => larder.version, load, { immediate: true });
</script>

<template>
  <article class="page">
    <RouterLink to="/larder" class="back">Larder</RouterLink>
    <h1>Off-site</h1>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <p v-if="offsite.views && !offsite.inUse.length">
      Copies of everything that is kept, in a bucket of any S3-compatible service, on another disk, or both.
      Each is sealed before it leaves this computer: whoever runs the service, or finds the disk, sees neither
      names nor contents. Several benches may share one; what all of them have is sent once.
    </p>
    <template v-if="offsite.views">
      <OffsitePart v-for="view in offsite.views" :key="view.copy" :view="view" />
    </template>
    <AloneSets />
  </article>
</template>

<style scoped>
article {
  display: grid;
  gap: 14px;
  justify-items: stretch;
}

p {
  max-width: 74ch;
}
</style>
