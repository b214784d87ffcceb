<script setup lang="ts">
import { ElAutocomplete } from 'element-plus';
import type { OfPhone } from '../../state/imports.ts';
import { useBench } from '../../state/bench.ts';

/** For which model firmware is: makers and models that were seen are offered. */
const draft = defineModel<OfPhone>({ required: true });
const bench = useBench();

type Offer = { value: string };
const offers = (names: readonly string[], typed: string): Offer[] =>
  [...new Set(names)]
    .filter((name) => name.toLowerCase().includes(typed.toLowerCase()))
    .map((value) => ({ value }));
const makers = (typed: string, show: (found: Offer[]) => void) =>
  show(
    offers(
      bench.phones.map(({ maker }) => maker),
      typed,
    ),
  );
const models = (typed: string, show: (found: Offer[]) => void) =>
  show(
    offers(
      bench.phones.flatMap(({ maker, model }) =>
        !draft.value.maker || maker === draft.value.maker ? [model] : [],
      ),
      typed,
    ),
  );

/** A model that was seen has one maker. */
function chosen({ value }: Record<string, unknown>): void {
  const known = bench.phones.find(({ model }) => model === value);
  if (known) draft.value.maker = known.maker;
}
</script>

<template>
  <label class="field">
    <span class="soft">Model</span>
    <ElAutocomplete
      v-model="draft.model"
      :fetch-suggestions="models"
      aria-label="Model"
      maxlength="60"
      @select="chosen"
    />
  </label>
  <label class="field">
    <span class="soft">Maker</span>
    <ElAutocomplete v-model="draft.maker" :fetch-suggestions="makers" aria-label="Maker" maxlength="60" />
  </label>
</template>

<style scoped>
.field {
  display: grid;
  gap: 3px;
  font-size: 12.5px;
}
</style>
