<script setup lang="ts">
import type { Inspection } from '@keen-larder/core/formats/inspect/inspection.ts';
import SizeText from '../../parts/SizeText.vue';

/** What an image is: its fields, its parts, what is wrong with it, and the same of what lies inside. */
defineProps<{ inspection: Inspection; name?: string }>();
</script>

<template>
  <section>
    <h2>
      <template v-if="name">{{ name }} · </template>{{ inspection.format }}
      <span class="soft"><SizeText :bytes="inspection.bytes" /></span>
    </h2>
    <ul v-if="inspection.findings.length" class="findings">
      <li v-for="finding in inspection.findings" :key="finding">{{ finding }}</li>
    </ul>
    <dl v-if="Object.keys(inspection.fields).length">
      <div v-for="(value, field) in inspection.fields" :key="field">
        <dt>{{ field }}</dt>
        <dd>{{ value }}</dd>
      </div>
    </dl>
    <ol v-if="inspection.rows.length">
      <li v-for="row in inspection.rows" :key="row">{{ row }}</li>
    </ol>
    <details v-for="inner in inspection.inner" :key="inner.name" :open="inspection.inner.length < 4">
      <summary>{{ inner.name }}</summary>
      <InspectionView :inspection="inner.inspection" />
    </details>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
}

h2 {
  font-size: 16px;
}

h2 span {
  font-weight: 400;
}

.findings {
  padding: 7px 10px;
  border: 1px solid var(--quince-rule);
  border-radius: 3px;
  background: var(--quince-tint);
}

dl {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
  gap: 6px 18px;
  font-size: 13px;
}

dt {
  color: var(--ink-soft);
  font-size: 12px;
}

dd {
  overflow-wrap: anywhere;
}

ol {
  font: 12.5px/1.5 var(--mono);
  overflow-wrap: anywhere;
}

details {
  padding-left: 12px;
  border-left: 2px solid var(--rule);
}

summary {
  cursor: pointer;
  font-weight: 600;
}
</style>
