<script setup lang="ts">
import { useStyleTag } from '@vueuse/core';
import { ElButton, ElInputNumber } from 'element-plus';
import { Printer } from 'lucide-vue-next';
import { computed, shallowRef, watch } from 'vue';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { api } from '../../api/client.ts';
import EmptyState from '../../parts/EmptyState.vue';
import { shortDigest } from '../../parts/digest.ts';
import { exactDay } from '../../parts/time.ts';
import PrintedLabel from './PrintedLabel.vue';
import { leastSize, mostSize, useLabelSize, usualSizes, type LabelSize } from './rolls.ts';

/** The label of a set or of a job card, to be printed on a roll. */
/** A serial is read off a label letter by letter: it stays on one line. */
const unbroken = '\u2011';
const props = defineProps<{ kind: 'sets' | 'jobs'; id: string }>();

type Label = Pick<InstanceType<typeof PrintedLabel>['$props'], 'title' | 'lines' | 'code' | 'strip'> & {
  path: string;
};
const label = shallowRef<Label>();
const error = shallowRef<string>();
const size = useLabelSize();

async function ofSet(id: string): Promise<Label> {
  const set = await api.set(id);
  const images = `${set.imageCount} ${set.imageCount === 1 ? 'image' : 'images'}`;
  return {
    title: set.label,
    lines: [
      set.firmware ? `firmware of ${set.maker} ${set.model}` : `${set.nickname} · ${set.maker} ${set.model}`,
      `${exactDay(set.createdAt)} · ${images} · ${sizeText(set.bytes)}`,
    ],
    code: shortDigest(set.fingerprint),
    strip: set.strip,
    path: `/larder/sets/${id}`,
  };
}

async function ofJob(id: string): Promise<Label> {
  const { number, who, phones, openedAt, complaint } = await api.job(id);
  return {
    title: `Job ${number} · ${who}`,
    lines: [
      ...phones.flatMap((each) => [`${each.maker} ${each.model}`, each.serial.replaceAll('-', unbroken)]),
      `received ${exactDay(openedAt)}`,
      ...(complaint ? [complaint.split('\n')[0]!] : []),
    ],
    path: `/jobs/${id}`,
  };
}

watch(
  () => [props.kind, props.id] as const,
  async ([kind, id]) => {
    try {
      label.value = await (kind === 'sets' ? ofSet(id) : ofJob(id));
    } catch (failure) {
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);

/** Where a browser on this network, or this computer, finds it. */
const address = computed(() => `${window.location.origin}${label.value?.path ?? ''}`);
const isLocal = ['127.0.0.1', 'localhost', '[::1]'].includes(window.location.hostname);
const sizes = usualSizes;
const sides = ['width', 'height'] as const;
const nameOf = ({ width, height }: LabelSize) => `${width} × ${height} mm`;
const isChosen = (each: LabelSize) => nameOf(each) === nameOf(size.value);

useStyleTag(
  computed(
    () => `
#print { display: none; }
@media print {
  @page { size: ${size.value.width}mm ${size.value.height}mm; margin: 0; }
  html, body { height: auto; background: #fff; }
  #app { display: none; }
  #print { display: block; }
}`,
  ),
);
const print = () => window.print();
</script>

<template>
  <article v-if="label" class="page">
    <RouterLink :to="label.path" class="back">{{ label.title }}</RouterLink>
    <h1>Label</h1>
    <div class="sizes" role="group" aria-label="Size of the label">
      <ElButton
        v-for="each in sizes"
        :key="nameOf(each)"
        size="small"
        :type="isChosen(each) ? 'primary' : 'default'"
        :aria-pressed="isChosen(each)"
        @click="size = each"
        >{{ nameOf(each) }}</ElButton
      >
      <span class="own">
        <template v-for="side in sides" :key="side">
          <span v-if="side === 'height'">×</span>
          <ElInputNumber
            :model-value="size[side]"
            :min="leastSize[side]"
            :max="mostSize[side]"
            size="small"
            :aria-label="`${side === 'width' ? 'Width' : 'Height'} in millimetres`"
            @update:model-value="(to) => (size = { ...size, [side]: to ?? size[side] })"
          />
        </template>
        mm
      </span>
    </div>
    <PrintedLabel v-bind="label" :size="size" :address="address" class="sheet" />
    <p class="soft">
      The code opens <code>{{ address }}</code><template v-if="isLocal">, on this computer alone</template>.
      In the print dialog choose the same size, no margins, 100 %.
    </p>
    <p>
      <ElButton type="primary" @click="print"><Printer :size="15" aria-hidden="true" />&nbsp;Print</ElButton>
    </p>
    <!-- Alone on its page: nothing of the application is printed. -->
    <Teleport to="body">
      <div id="print"><PrintedLabel v-bind="label" :size="size" :address="address" /></div>
    </Teleport>
  </article>
  <EmptyState v-else-if="error" title="There is no such label">{{ error }}</EmptyState>
  <p v-else class="soft">Drawing the label…</p>
</template>

<style scoped>
.sizes {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}

.sizes > * {
  margin: 0;
}

.own {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}

.own .el-input-number {
  width: 108px;
}

.sheet {
  zoom: 1.7;
  outline: 1px dashed var(--rule-strong);
}
</style>
