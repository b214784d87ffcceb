<script setup lang="ts">
import { CheckIcon, OctagonX, TriangleAlert, X } from 'lucide-vue-next';
import { useNotices, type Notice } from '../state/notices/notices.ts';

/** Notices have a place of their own below the work, so that they never cover anything. */
const notices = useNotices();
const icons = { good: CheckIcon, caution: TriangleAlert, stop: OctagonX } as const;

function act({ id, action }: Notice): void {
  notices.putAside(id);
  action?.run();
}
</script>

<template>
  <ul v-if="notices.list.length" class="notices" aria-label="Notices">
    <li
      v-for="notice in notices.list"
      :key="notice.id"
      :class="notice.kind"
      :role="notice.kind === 'stop' ? 'alert' : 'status'"
    >
      <component :is="icons[notice.kind]" :size="16" class="icon" aria-hidden="true" />
      <p>
        <strong>{{ notice.title }}.</strong> {{ notice.message }}
        <button v-if="notice.action" type="button" class="action" @click="act(notice)">
          {{ notice.action.text }}
        </button>
      </p>
      <button
        type="button"
        class="aside"
        aria-label="Put this notice aside"
        @click="notices.putAside(notice.id)"
      >
        <X :size="15" aria-hidden="true" />
      </button>
    </li>
  </ul>
</template>

<style scoped>
.notices {
  flex: none;
  border-top: 1px solid var(--rule-strong);
}

li {
  display: grid;
  grid-template-columns: 16px 1fr auto;
  gap: 9px;
  align-items: start;
  padding: 8px 20px;
  background: var(--action-tint);
  font-size: 13px;
  line-height: 1.4;
}

li + li {
  border-top: 1px solid var(--rule);
}

.icon {
  margin-top: 1px;
  color: var(--action);
}

.caution {
  background: var(--quince-tint);
}

.caution .icon {
  color: var(--quince);
}

.stop {
  background: var(--beetroot-tint);
}

.stop .icon,
.stop strong {
  color: var(--beetroot);
}

p {
  min-width: 0;
  overflow-wrap: anywhere;
}

button {
  border: 0;
  background: none;
  color: inherit;
  cursor: pointer;
}

.action {
  margin-left: 4px;
  padding: 0;
  color: var(--action);
  font-size: inherit;
  font-weight: 600;
  text-decoration: underline;
}

.aside {
  padding: 2px;
  color: var(--ink-soft);
}
</style>
