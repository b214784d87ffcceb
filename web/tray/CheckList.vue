<script setup lang="ts">
import { CheckIcon, Info, OctagonX, TriangleAlert } from 'lucide-vue-next';
import { ElButton, ElCheckbox } from 'element-plus';
import type { Check, Mend } from '@keen-larder/core/runsheet/run-sheets.ts';

defineProps<{ checks: readonly Check[]; confirmed: readonly string[] }>();
const emit = defineEmits<{ mend: [mend: Mend]; confirm: [id: string, isTicked: boolean] }>();

const icons = { stop: OctagonX, confirm: TriangleAlert, note: Info, good: CheckIcon } as const;
const words = { stop: 'Stop', confirm: 'To confirm', note: 'Note', good: 'Good' } as const;

/** Having picked nothing yet is no fault: it stops the run without the colours of one. */
const lookOf = ({ id, severity }: Check) => (id === 'nothing-picked' ? 'note' : severity);

function mendText(mend: Mend): string {
  switch (mend.do) {
    case 'restart':
      return `Restart into ${mend.into}`;
    case 'restart-first':
      return `Restart into ${mend.into} first`;
    case 'pick':
      return mend.partitions.length === 1
        ? `Add ${mend.partitions[0]}`
        : `Add ${mend.partitions.length} partitions`;
    case 'unpick':
      // Packages have points in their names, and the check says already which app it is.
      return mend.partitions.length > 1
        ? `Leave out ${mend.partitions.length}`
        : mend.partitions[0]!.includes('.')
          ? 'Leave it out'
          : `Leave out ${mend.partitions[0]}`;
    case 'format':
      return 'Format it first';
    case 'add-programs':
      return 'Put the program back as well';
    case 'copy-first':
      return 'Copy them first';
    case 'through-recovery':
      return 'Put data back in recovery';
    case 'through-backup':
      return 'Hand it over as a backup';
    case 'rename':
      return `Call it “${mend.label}”`;
  }
}
</script>

<template>
  <ul class="checks">
    <li v-for="check in checks" :key="check.id + check.title" :class="lookOf(check)" :data-check="check.id">
      <component
        :is="icons[lookOf(check)]"
        :size="16"
        class="icon"
        :aria-label="words[lookOf(check)]"
        role="img"
      />
      <div>
        <strong>{{ check.title }}</strong>
        <p>{{ check.sentence }}</p>
        <ElButton v-if="check.mend" size="small" class="mend" @click="emit('mend', check.mend)">
          {{ mendText(check.mend) }}
        </ElButton>
        <ElCheckbox
          v-if="check.severity === 'confirm'"
          :model-value="confirmed.includes(check.id)"
          size="small"
          class="tick"
          @update:model-value="(isTicked) => emit('confirm', check.id, Boolean(isTicked))"
        >
          I understand
        </ElCheckbox>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.checks {
  display: grid;
  gap: 8px;
}

li {
  display: grid;
  grid-template-columns: 16px 1fr;
  gap: 8px;
  font-size: 13px;
  line-height: 1.35;
}

.icon {
  margin-top: 1px;
}

p {
  color: var(--ink-soft);
}

.stop,
.confirm {
  padding: 9px 10px;
  border: 1px solid var(--quince-rule);
  border-radius: 3px;
  background: var(--quince-tint);
}

.confirm .icon {
  color: var(--quince);
}

.stop {
  border-color: var(--beetroot-rule);
  background: var(--beetroot-tint);
}

.stop .icon,
.stop strong {
  color: var(--beetroot);
}

.stop p,
.confirm p {
  color: var(--ink);
}

.note .icon {
  color: var(--slate);
}

.good .icon {
  color: var(--action);
}

.mend {
  display: block;
  margin: 6px 0 2px;
}

.tick {
  height: auto;
  margin-top: 4px;
}
</style>
