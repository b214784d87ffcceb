<script setup lang="ts">
import { ChevronRight } from 'lucide-vue-next';
import { computed } from 'vue';
import type { AppPermission } from '@keen-larder/core/apps/facts.ts';
import { permissionsByKind } from '@keen-larder/core/apps/permissions.ts';

/** What an app may do, by what it comes to. */
const props = defineProps<{ permissions: readonly AppPermission[] }>();
const kinds = computed(() =>
  permissionsByKind(props.permissions).map((each) => ({
    ...each,
    granted: each.permissions.filter(({ granted }) => granted).length,
  })),
);
const howMany = (granted: number, all: number) =>
  granted === 0 ? 'not granted' : granted === all ? 'granted' : `${granted} of ${all} granted`;
const short = (name: string) => name.replace(/^android\.permission\./, '');
</script>

<template>
  <ul>
    <li v-for="{ kind, permissions: asked, granted } in kinds" :key="kind.id">
      <details>
        <summary>
          <strong><ChevronRight :size="13" class="mark" aria-hidden="true" />{{ kind.title }}</strong>
          <span :class="granted > 0 ? 'granted' : 'soft'">{{ howMany(granted, asked.length) }}</span>
          <span class="soft meaning"
            >{{ kind.meaning }}{{ kind.isAsked ? '' : ' Android does not ask the owner about it.' }}</span
          >
        </summary>
        <p v-for="each in asked" :key="each.name" :title="each.name" class="one">
          <code>{{ short(each.name) }}</code>
          <span :class="each.granted ? 'granted' : 'soft'">{{
            each.granted ? 'granted' : 'not granted'
          }}</span>
        </p>
      </details>
    </li>
    <li v-if="kinds.length === 0" class="soft">It asks for none.</li>
  </ul>
</template>

<style scoped>
ul {
  font-size: 12.5px;
}

li {
  padding: 3px 0;
  border-bottom: 1px solid var(--rule);
}

summary {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 10px;
  cursor: pointer;
}

summary strong {
  display: flex;
  align-items: center;
}

.mark {
  margin-left: -3px;
}

details[open] .mark {
  transform: rotate(90deg);
}

.meaning {
  grid-column: 1 / -1;
  font-size: 12px;
}

.one {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 2px 0 0 12px;
}

.one code {
  overflow-wrap: anywhere;
}

.granted {
  white-space: nowrap;
  font-weight: 700;
}
</style>
