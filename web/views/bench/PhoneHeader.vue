<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { modeUses, modeWords, type PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { api } from '../../api/client.ts';
import CopyText from '../../parts/CopyText.vue';
import InlineName from '../../parts/InlineName.vue';
import { useJobs } from '../../state/jobs.ts';
import { announceError } from '../../state/notices/notices.ts';

const props = defineProps<{ phone: PhoneView }>();

const jobs = useJobs();
const job = computed(() => jobs.ofPhone(props.phone.serial));
const facts = computed(() => (props.phone.presence === 'here' ? props.phone.facts : undefined));
const chips = computed(() => {
  const condition = facts.value?.condition;
  if (!condition) return [];
  return [
    condition.build ?? 'build unknown',
    condition.patchLevel && `patch ${condition.patchLevel}`,
    condition.kind === 'unknown' ? undefined : condition.kind,
    condition.starts === false ? 'did not start when last tried' : undefined,
    condition.encrypted === undefined
      ? undefined
      : condition.encrypted
        ? 'user data encrypted'
        : 'not encrypted',
  ].filter((chip): chip is string => Boolean(chip));
});
const unlocked = computed(() => facts.value?.condition.bootloaderUnlocked);
/** Modes that a command leads into; the likeliest first. */
const others = computed((): PhoneMode[] =>
  (['recovery', 'system', 'bootloader'] as const).filter((mode) => mode !== facts.value?.mode),
);
const restarting = ref(false);

async function restart(into: PhoneMode): Promise<void> {
  restarting.value = true;
  await api.restart(props.phone.serial, into).catch(announceError);
  restarting.value = false;
}

const rename = (nickname: string) => api.renamePhone(props.phone.serial, nickname).catch(announceError);
</script>

<template>
  <header>
    <div class="name">
      <InlineName :value="phone.nickname" name="nickname" :maxlength="60" @rename="rename" />
      <span class="soft">
        {{ phone.maker }} {{ phone.model }} · serial <CopyText :value="phone.serial" name="serial" />
        <template v-if="phone.link"> · {{ phone.link }}</template>
        <template v-if="jobs.list">
          ·
          <RouterLink v-if="job" :to="{ name: 'jobs', params: { id: job.id } }"
            >job card {{ job.number }}, {{ job.stage }}</RouterLink
          >
          <RouterLink v-else :to="{ name: 'jobs', query: { for: phone.serial } }">open a job card</RouterLink>
        </template>
      </span>
    </div>
    <ul v-if="facts" class="chips" aria-label="Condition">
      <li v-for="chip in chips" :key="chip">{{ chip }}</li>
      <li v-if="unlocked !== undefined" :class="{ caution: unlocked }">
        bootloader {{ unlocked ? 'unlocked' : 'locked' }}
      </li>
    </ul>
    <div v-if="facts" class="mode">
      <span><strong>In {{ facts.mode }} mode:</strong> {{ modeWords(facts.mode, facts.root) }}</span>
      <div class="restart">
        <span class="soft">Restart into</span>
        <ElButton
          v-for="mode in others"
          :key="mode"
          size="small"
          :loading="restarting"
          :disabled="phone.runId !== undefined"
          :title="modeUses[mode]"
          :aria-label="`Restart into ${mode}`"
          @click="restart(mode)"
        >
          {{ mode }}
        </ElButton>
      </div>
    </div>
  </header>
</template>

<style scoped>
header {
  display: grid;
  gap: 9px;
  margin-bottom: 14px;
}

.name {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 8px;
}

.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}

.chips li {
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  font-size: 13px;
  line-height: 21px;
}

.chips .caution {
  border-color: var(--quince);
  background: var(--quince-tint);
  color: var(--quince);
}

.mode {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
}

.restart {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-left: auto;
}

.restart .el-button {
  margin: 0;
}
</style>
