<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { certaintyWords, purposeOf } from '@keen-larder/core/apps/purposes/purposes.ts';
import { binDays } from '@keen-larder/core/larder/bin-time.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import { ElButton } from 'element-plus';
import { api } from '../../api/client.ts';
import AppIcon from '../../views/bench/apps/AppIcon.vue';
import CodeFindings from './CodeFindings.vue';
import CopyList from './CopyList.vue';
import CopyText from '../../parts/CopyText.vue';
import PermissionKinds from './PermissionKinds.vue';
import { useApps } from '../../state/apps.ts';
import { announceError, useNotices } from '../../state/notices/notices.ts';
import FigureGrid from '../FigureGrid.vue';
import TrayFrame from '../TrayFrame.vue';

/** What is known of the app that was chosen. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const listed = computed(() => store.inTray(props.phone.serial));
const app = computed(() => listed.value?.installed);

async function takeOutOfBin(id: string): Promise<void> {
  await api.changeCopy(id, { binned: false }).then(() => store.load(props.phone.serial), announceError);
}

/** It can be taken out again for some weeks. */
async function bin(id: string): Promise<void> {
  try {
    const { app: copied } = await api.changeCopy(id, { binned: true });
    await store.load(props.phone.serial);
    useNotices().say({
      kind: 'good',
      title: `In the bin for ${binDays} days`,
      message: `A copy of ${copied.label}.`,
      action: { text: 'Take it out again', run: () => void takeOutOfBin(id) },
    });
  } catch (failure) {
    announceError(failure);
  }
}

async function setAside(): Promise<void> {
  const { package: name, isAside } = listed.value!;
  await api.setAside([name], !isAside).then(() => store.load(props.phone.serial), announceError);
}

const figures = computed(() => {
  if (!app.value) return [];
  const { programBytes, dataBytes } = app.value;
  return [
    { value: sizeText(programBytes), name: 'program', exact: `${programBytes.toLocaleString('en')} bytes` },
    {
      value: dataBytes === undefined ? '–' : sizeText(dataBytes),
      name: dataBytes === undefined ? 'data: told only with root' : 'data',
    },
  ];
});
/** What it is for, where it came with the system. */
const purpose = computed(() =>
  app.value?.isBuiltIn ? purposeOf(app.value.package, store.purposes) : undefined,
);
/** For whom else it is installed, by their names. */
const otherUsersText = computed(() => {
  const all = store.users[props.phone.serial] ?? [];
  return (app.value?.otherUsers ?? [])
    .map((id) => all.find((user) => user.id === id)?.name ?? `user ${id}`)
    .join(', ');
});
const facts = computed(() => {
  if (!app.value) return [];
  const {
    versionName,
    versionCode,
    isBuiltIn,
    isEnabled,
    isRunning,
    installer,
    firstInstalled,
    lastUpdated,
    minSdk,
    targetSdk,
    abis,
  } = app.value;
  return [
    ['Version', `${versionName ?? 'unnamed'} (${versionCode})`],
    ['Installed', isBuiltIn ? 'pre-installed' : `by the user${installer ? `, from ${installer}` : ''}`],
    ...(purpose.value
      ? [
          [
            'For',
            `${purpose.value.purpose} ${purpose.value.dependents} (${certaintyWords[purpose.value.certainty]})`,
          ] as const,
        ]
      : []),
    ['Now', `${isEnabled ? 'enabled' : 'disabled'}, ${isRunning ? 'running' : 'at rest'}`],
    ['Installed', firstInstalled ?? '–'],
    ['Updated', lastUpdated ?? '–'],
    ['Android', `SDK ${minSdk ?? '?'} at least, made for ${targetSdk ?? '?'}`],
    ['Native code', abis.length > 0 ? abis.join(', ') : 'none'],
    ...(otherUsersText.value ? [['Also for', otherUsersText.value] as const] : []),
    ['User id', `${app.value.uid}${app.value.sharedUserId ? ` (${app.value.sharedUserId})` : ''}`],
  ] as const;
});
const look = () =>
  api.codeOnPhone(props.phone.serial, app.value!.package, store.draft(props.phone.serial).user);
</script>

<template>
  <TrayFrame v-if="app" :title="`Tray · ${app.label}`">
    <div class="head">
      <AppIcon :serial="phone.serial" :app="app" :size="40" />
      <div>
        <strong>{{ app.label }}</strong>
        <CopyText :value="app.package" name="package name" />
      </div>
    </div>
    <FigureGrid :figures="figures" />
    <dl class="facts">
      <template v-for="[name, value] in facts" :key="name">
        <dt>{{ name }}</dt>
        <dd>{{ value }}</dd>
      </template>
      <dt>Signed by</dt>
      <dd>
        <CopyText
          v-for="each in app.certificates"
          :key="each"
          :value="each"
          name="SHA-256 of the signer’s certificate"
          short
        />
        <span v-if="app.certificates.length === 0">not readable</span>
      </dd>
    </dl>
    <h3>Permissions · {{ app.permissions.length }}</h3>
    <PermissionKinds :permissions="app.permissions" />
    <h3>Trackers</h3>
    <CodeFindings :subject="`${phone.serial} ${app.package} ${app.versionCode}`" :load="look" />
    <h3>In the larder · {{ listed?.copies.length ?? 0 }}</h3>
    <CopyList v-if="listed" :copies="listed.copies" @bin="bin" />
    <ElButton size="small" class="aside" @click="setAside">{{
      listed?.isAside ? 'Show among the others again' : 'Set aside: do not show among the others'
    }}</ElButton>
    <h3>On the phone</h3>
    <CopyText v-for="path in app.paths" :key="path" :value="path" name="path" />
  </TrayFrame>
  <TrayFrame v-else-if="listed" :title="`Tray · ${listed.label}`">
    <p class="soft">Not on {{ phone.nickname }} now. Pick it to put it back.</p>
    <h3>In the larder · {{ listed.copies.length }}</h3>
    <CopyList :copies="listed.copies" @bin="bin" />
  </TrayFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">
      Choose an app to see what it is and what it may do; pick some to copy them or to put them back.
    </p>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 10px;
}

.head div {
  display: grid;
  min-width: 0;
}

.head strong {
  font-size: 16px;
}

.facts {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 3px 12px;
  font-size: 13px;
}

dt {
  color: var(--ink-soft);
}

dd {
  margin: 0;
  overflow-wrap: anywhere;
}

h3 {
  margin-top: 4px;
  font-size: 13px;
}

.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
