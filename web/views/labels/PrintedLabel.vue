<script setup lang="ts">
import { computed } from 'vue';
import RoleStrip from '../../parts/roles/RoleStrip.vue';
import QrCode from './QrCode.vue';
import type { LabelSize } from './rolls.ts';

/** A paper label as it leaves the printer: the drawing of the larder, in ink alone, with a QR code that opens it. */
const props = defineProps<{
  size: LabelSize;
  title: string;
  lines: readonly string[];
  code?: string;
  address: string;
  strip?: InstanceType<typeof RoleStrip>['$props']['strip'];
}>();

/** In millimetres: on a label 29 mm high there is room for seven lines beside a code that a hand-held reader still reads. */
const type = computed(() => Math.min(props.size.height / 12, props.size.width / 24, 4));
const codeSide = computed(() =>
  Math.min(
    props.size.height - 3 - (props.strip ? 2.6 : 0) - (props.code ? type.value * 1.3 : 0),
    props.size.width * 0.38,
  ),
);
const style = computed(() => ({
  '--type': `${type.value}mm`,
  '--code-side': `${codeSide.value}mm`,
  width: `${props.size.width}mm`,
  height: `${props.size.height}mm`,
}));
</script>

<template>
  <article class="printed" :style="style">
    <RoleStrip v-if="strip" :strip="strip" class="strip" />
    <div class="text">
      <h2>{{ title }}</h2>
      <p v-for="line in lines" :key="line">{{ line }}</p>
    </div>
    <div class="code">
      <QrCode :text="address" :name="`Opens ${title}`" />
      <code v-if="code">{{ code }}</code>
    </div>
  </article>
</template>

<style scoped>
.printed {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  grid-template-rows: auto minmax(0, 1fr);
  gap: 0 1mm;
  padding: 1.5mm;
  overflow: hidden;
  background: #fff;
  color: #000;
  font-size: var(--type);
  line-height: 1.2;
}

.strip {
  grid-column: 1 / -1;
  height: 1.6mm;
  margin-bottom: 1mm;
  print-color-adjust: exact;
}

.text {
  display: flex;
  flex-direction: column;
  gap: 0.4mm;
  min-height: 0;
  overflow: hidden;
}

h2 {
  display: -webkit-box;
  flex: none;
  overflow: hidden;
  margin: 0;
  font-size: 1.2em;
  line-height: 1.12;
  overflow-wrap: anywhere;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
}

p {
  overflow-wrap: anywhere;
}

.code {
  display: grid;
  align-content: end;
  justify-items: center;
  width: var(--code-side);
}

.code svg {
  width: var(--code-side);
  height: var(--code-side);
}

code {
  font-size: 1em;
  line-height: 1.3;
}
</style>
