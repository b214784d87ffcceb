<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { Pin, ShieldCheck, Trash2, Tag } from 'lucide-vue-next';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { SetDetail } from '@keen-larder/contract/sets.ts';
import { packageText } from '@keen-larder/core/formats/package-metadata/package-metadata.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { rangesText } from '@keen-larder/core/bytes/ranges.ts';
import { durationText, sizeText } from '@keen-larder/core/bytes/units.ts';
import { maxLabelLength } from '@keen-larder/core/larder/label.ts';
import { untracedTexts } from '@keen-larder/core/larder/untraced.ts';
import { listText } from '@keen-larder/core/runsheet/run-sheets.ts';
import { api } from '../../api/client.ts';
import CopyText from '../../parts/CopyText.vue';
import EmptyState from '../../parts/EmptyState.vue';
import InlineName from '../../parts/InlineName.vue';
import RoleStrip from '../../parts/roles/RoleStrip.vue';
import TimeText from '../../parts/TimeText.vue';
import { exactTime } from '../../parts/time.ts';
import { useLarder } from '../../state/larder.ts';
import { useOffsite } from '../../state/larder/offsite.ts';
import { announceError, useNotices } from '../../state/notices/notices.ts';
import { usePicks } from '../../state/picks.ts';
import { useRuns } from '../../state/runs.ts';
import MoveSets from './offsite/MoveSets.vue';
import CompareWith from './comparing/CompareWith.vue';
import ExportLine from './exports/ExportLine.vue';
import ImageTable from './ImageTable.vue';

const props = defineProps<{ id: string }>();
const larder = useLarder();
const runs = useRuns();
const store = usePicks();
const notices = useNotices();
const router = useRouter();
const set = shallowRef<SetDetail>();
const error = ref<string>();
const note = ref('');
/** The note, since it was last written. */
const isSaved = ref(false);
const picks = computed(() => store.forSet(props.id));
const offsite = useOffsite();
// Where there is no such copy nothing is said of it.
void offsite.load().catch(() => undefined);
/** Images with gaps, and where. */
const unsettled = computed(() =>
  (set.value?.images ?? []).flatMap((each) =>
    each.unsettled ? [`${each.partition} at ${rangesText(each.unsettled)}`] : [],
  ),
);
/** What the firmware's package says of itself. */
const said = computed(() => {
  const facts = set.value?.condition.package;
  return facts && packageText(facts).join(' ');
});

watch(
  () => [props.id, larder.version] as const,
  async ([id, version]) => {
    const isPast = () => id !== props.id || version !== larder.version;
    try {
      const detail = await api.set(id);
      if (isPast()) return;
      // What somebody is typing stays.
      if (set.value?.id !== id || note.value === set.value.note) note.value = detail.note;
      set.value = detail;
      error.value = undefined;
    } catch (failure) {
      if (isPast()) return;
      set.value = undefined;
      error.value = (failure as Error).message;
    }
  },
  { immediate: true },
);

async function change(what: { label?: string; note?: string; pinned?: boolean }): Promise<void> {
  try {
    set.value = await api.changeSet(props.id, what);
    if (what.note !== undefined) isSaved.value = true;
  } catch (failure) {
    announceError(failure);
  }
}

const saveNote = () => {
  if (note.value !== set.value?.note) void change({ note: note.value });
};

/** Into the bin at once, with a way back on the notice. */
async function bin(): Promise<void> {
  const gone = set.value!;
  try {
    await api.changeSet(gone.id, { binned: true });
  } catch (failure) {
    announceError(failure);
    return;
  }
  await router.push({ name: gone.firmware ? 'firmware' : 'larder' });
  notices.say({
    kind: 'caution',
    title: `In the bin for ${binDays} days`,
    message: `“${gone.label}”`,
    action: {
      text: 'Take it back',
      run: () => void api.changeSet(gone.id, { binned: false }).catch(announceError),
    },
  });
}

const verify = () => api.verify(props.id).then((run) => void runs.take(run), announceError);
</script>

<template>
  <article v-if="set">
    <RouterLink v-if="set.firmware" to="/larder/firmware" class="back">Firmware</RouterLink>
    <RouterLink v-else to="/larder" class="back">Larder</RouterLink>
    <div class="paper">
      <RoleStrip :strip="set.strip" />
      <div class="inside">
        <InlineName
          :value="set.label"
          name="name of the set"
          :maxlength="maxLabelLength"
          @rename="(label) => change({ label })"
        />
        <p v-if="set.binnedAt" class="binned">
          In the bin; deleted for good {{ binDays }} days after it was put there.
        </p>
        <p v-for="text in untracedTexts(set.untraced)" :key="text" class="unsettled">{{ text }}</p>
        <p v-if="unsettled.length" class="unsettled" role="status">
          Not complete: {{ listText(unsettled) }} did not come out of the phone the same way twice, or not at
          all. Image {{ unsettled.length > 1 ? 'them' : 'it' }} again with another cable while the phone is at
          hand.
        </p>
        <dl>
          <div v-if="set.firmware">
            <dt>Firmware of</dt>
            <dd>{{ set.maker }} {{ set.model }}<br /><span class="soft">any phone of this model</span></dd>
          </div>
          <div v-else>
            <dt>Phone</dt>
            <dd>
              {{ set.nickname }} · {{ set.maker }} {{ set.model }}<br /><CopyText
                :value="set.serial"
                name="serial"
              />
            </dd>
          </div>
          <div>
            <dt>Condition</dt>
            <dd>
              {{ set.condition.kind }}{{ set.condition.starts === false ? ', not starting' : '' }}<br />{{
                set.condition.build ?? 'build unknown'
              }}
              <template v-if="set.condition.product"
                ><br />for a {{ set.condition.product.maker }} {{ set.condition.product.model }}</template
              >
            </dd>
          </div>
          <div>
            <dt>{{ set.firmware ? 'Imported' : 'Taken' }}</dt>
            <dd>
              {{ exactTime(set.createdAt) }}<br />
              <template v-if="set.imported">from files, {{ durationText(set.elapsedMs) }}</template>
              <template v-else>in {{ set.mode }} mode, {{ durationText(set.elapsedMs) }}</template>
              <template v-if="set.by"><br />by {{ set.by }}</template>
            </dd>
          </div>
          <div>
            <dt>Size</dt>
            <dd>{{ sizeText(set.bytes) }} as imaged<br />{{ sizeText(set.addedBytes) }} new on the shelf</dd>
          </div>
          <div>
            <dt>Verified</dt>
            <dd>
              <template v-if="set.verifiedAt"
                ><TimeText :at="set.verifiedAt" /><br />{{
                  set.damaged ? 'damage was found' : 'all as it was kept'
                }}</template
              >
              <template v-else>not since it was taken</template>
            </dd>
          </div>
          <div v-for="{ copy, since } in offsite.inUse" :key="copy">
            <dt>{{ copy === 'bucket' ? 'Off-site' : 'Second disk' }}</dt>
            <dd>
              <template v-if="since[id]">since <TimeText :at="since[id]!" /></template>
              <RouterLink v-else to="/larder/off-site">not yet</RouterLink>
            </dd>
          </div>
          <div>
            <dt>Checksum of the set</dt>
            <dd><CopyText :value="set.fingerprint" name="checksum of the set" short /></dd>
          </div>
        </dl>
        <p v-if="said" class="soft">Its package says: {{ said }}</p>
      </div>
    </div>
    <div class="actions">
      <ElButton @click="verify"><ShieldCheck :size="15" aria-hidden="true" />&nbsp;Verify</ElButton>
      <CompareWith :set="set" />
      <MoveSets v-if="set.binnedAt === undefined" :sets="[set]" />
      <ElButton
        v-if="set.binnedAt === undefined"
        :aria-pressed="set.pinned"
        @click="change({ pinned: !set.pinned })"
        ><Pin :size="15" aria-hidden="true" />&nbsp;{{ set.pinned ? 'Take the pin off' : 'Pin' }}</ElButton
      >
      <RouterLink :to="{ name: 'set-label', params: { id } }" class="el-button"
        ><Tag :size="15" aria-hidden="true" />&nbsp;Label</RouterLink
      >
      <ElButton
        class="bin"
        :disabled="set.binnedAt !== undefined || set.pinned"
        :title="set.pinned ? 'Pinned: take the pin off first' : undefined"
        @click="bin"
        ><Trash2 :size="15" aria-hidden="true" />&nbsp;Delete</ElButton
      >
    </div>
    <ExportLine :set="set" :picked="picks.picked" />
    <label class="note">
      <span class="soft" role="status">{{
        note !== set.note ? 'Note, saved when you leave the field' : isSaved ? 'Note, saved' : 'Note'
      }}</span>
      <ElInput
        v-model="note"
        type="textarea"
        :rows="1"
        :maxlength="4000"
        aria-label="Note"
        placeholder="What the next technician should know"
        @blur="saveNote"
      />
    </label>
    <ImageTable
      :set="set"
      :picked="picks.picked"
      @toggle="(name) => store.toggle(picks, name)"
      @all="(names) => store.set(picks, names)"
    />
  </article>
  <EmptyState v-else-if="error" title="This set cannot be shown">
    {{ error }} <RouterLink to="/larder">Go to the larder</RouterLink>
  </EmptyState>
  <p v-else class="soft">Opening the set…</p>
</template>

<style scoped>
article {
  display: grid;
  gap: 12px;
}

.back {
  font-size: 13px;
}

.paper {
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--card);
  overflow: hidden;
}

.inside {
  display: grid;
  gap: 10px;
  padding: 12px 16px 14px;
}

.unsettled {
  color: var(--beetroot);
  font-weight: 600;
}

.binned {
  color: var(--quince);
  font-weight: 600;
}

dl {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(180px, 1fr));
  gap: 10px 18px;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}

dt {
  color: var(--ink-soft);
  font-size: 12px;
}

.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}

.actions .el-button {
  margin: 0;
  text-decoration: none;
}

.bin {
  margin-left: auto !important;
  color: var(--beetroot);
}

.note {
  display: grid;
  gap: 3px;
}
</style>
