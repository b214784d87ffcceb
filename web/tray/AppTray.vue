<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';
import { sizeText } from '@keen-larder/core/bytes/units.ts';
import AppIcon from '../parts/AppIcon.vue';
import CopyText from '../parts/CopyText.vue';
import { useApps } from '../state/apps.ts';
import FigureGrid from './FigureGrid.vue';
import TrayFrame from './TrayFrame.vue';

/** What is known of the app that was chosen. */
const props = defineProps<{ phone: PhoneView }>();
const store = useApps();
const app = computed(() => store.inTray(props.phone.serial));

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
    ['Came', isBuiltIn ? 'with the system' : `by its owner${installer ? `, through ${installer}` : ''}`],
    ['Now', `${isEnabled ? 'enabled' : 'disabled'}, ${isRunning ? 'running' : 'at rest'}`],
    ['Installed', firstInstalled ?? '–'],
    ['Updated', lastUpdated ?? '–'],
    ['Android', `SDK ${minSdk ?? '?'} at least, made for ${targetSdk ?? '?'}`],
    ['Native code', abis.length > 0 ? abis.join(', ') : 'none'],
    ['User id', `${app.value.uid}${app.value.sharedUserId ? ` (${app.value.sharedUserId})` : ''}`],
  ] as const;
});
const short = (name: string) => name.replace(/^android\.permission\./, '');
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
    <ul>
      <li v-for="each in app.permissions" :key="each.name" :title="each.name">
        <code>{{ short(each.name) }}</code>
        <span :class="each.granted ? 'granted' : 'soft'">{{ each.granted ? 'granted' : 'not granted' }}</span>
      </li>
    </ul>
    <h3>On the phone</h3>
    <CopyText v-for="path in app.paths" :key="path" :value="path" name="path" />
  </TrayFrame>
  <div v-else class="nothing">
    <h2 class="zone">Tray</h2>
    <p class="soft">Choose an app to see what it is and what it may do.</p>
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

ul {
  font-size: 12.5px;
}

li {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
}

li code {
  overflow-wrap: anywhere;
}

.granted {
  white-space: nowrap;
  font-weight: 700;
}

.nothing {
  display: grid;
  gap: 10px;
  padding: 14px;
}
</style>
