<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import type { ConnectionView } from '@keen-larder/contract/connections.ts';
import { connectionWords, wantsHands } from '@keen-larder/core/phone/connections.ts';
import { api } from '../../api/client.ts';
import { useBench } from '../../state/bench.ts';
import { useConnections } from '../../state/connections.ts';
import { announceError } from '../../state/notices/notices.ts';
import FirstSteps from './FirstSteps.vue';

/** How phones are reached, and what is in the way of those that are not. */
const connections = useConnections();
const bench = useBench();
const address = ref('');
const error = ref<string>();
const view = computed(() => connections.view);
const rows = computed(() =>
  [...(view.value?.connections ?? [])].sort(
    (a, b) => Number(wantsHands(b.state)) - Number(wantsHands(a.state)),
  ),
);

const origins = {
  start: 'given at the start',
  added: 'added here',
  'adb server': 'adb server',
  usb: 'USB',
} as const;
const wordsOf = ({ state }: ConnectionView) => connectionWords(state, view.value?.fingerprint ?? '');
const nicknameOf = ({ serial }: ConnectionView) => (serial ? bench.phone(serial)?.nickname : undefined);

async function add(): Promise<void> {
  error.value = undefined;
  try {
    await api.addAddress(address.value.trim());
    address.value = '';
    await connections.load();
  } catch (failure) {
    error.value = (failure as Error).message;
  }
}
const remove = (each: ConnectionView) =>
  api.removeAddress(each.address).then(() => connections.load(), announceError);
</script>

<template>
  <h1>Connections</h1>
  <template v-if="view">
    <section aria-labelledby="ways">
      <h2 id="ways">Ways to phones</h2>
      <ul v-if="rows.length">
        <li v-for="each in rows" :key="each.address" :class="{ waits: wantsHands(each.state) }">
          <p class="line">
            <code>{{ each.address }}</code>
            <RouterLink v-if="each.serial" :to="{ name: 'bench', params: { serial: each.serial } }">{{
              nicknameOf(each) ?? each.serial
            }}</RouterLink>
            <strong>{{ wordsOf(each).title }}</strong>
            <span class="soft">{{ origins[each.origin] }}</span>
            <ElButton v-if="each.origin === 'added'" size="small" @click="remove(each)">Forget it</ElButton>
          </p>
          <p v-if="wordsOf(each).sentence && each.state !== 'nobody'">{{ wordsOf(each).sentence }}</p>
        </li>
      </ul>
      <p v-else class="soft">None is followed yet.</p>
      <form @submit.prevent="add">
        <label for="address">Follow a phone at an address</label>
        <ElInput
          id="address"
          v-model="address"
          placeholder="192.168.1.20"
          spellcheck="false"
          maxlength="120"
        />
        <ElButton native-type="submit" :disabled="address.trim() === ''">Follow</ElButton>
        <p v-if="error" class="error" role="alert">{{ error }}</p>
        <p class="soft hint">
          adb as it is, at port 5555 where none is named; a bootloader with <code>fastboot:</code> before it,
          loader mode with <code>loader:</code>.
        </p>
      </form>
    </section>
    <h2 class="steps">What to do first so that a phone shows</h2>
    <FirstSteps :view="view" />
  </template>
  <p v-else class="soft">Looking at the connections…</p>
</template>

<style scoped>
h1 {
  margin-bottom: 14px;
  font-size: 24px;
}

section {
  max-width: 84ch;
}

.steps {
  margin: 30px 0 12px;
  padding-top: 14px;
  border-top: 1px solid var(--rule-strong);
}

h2 {
  margin-bottom: 6px;
  font-size: 17px;
}

li {
  padding: 7px 10px;
  border-bottom: 1px solid var(--rule);
}

.waits {
  border-left: 3px solid var(--quince);
  background: var(--card);
}

.line {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 14px;
}

.line .el-button {
  margin-left: auto;
}

li:not(.waits) strong {
  font-weight: 400;
}

.waits strong {
  color: var(--quince);
}

form {
  display: grid;
  grid-template-columns: auto minmax(160px, 260px) auto 1fr;
  align-items: center;
  gap: 6px 10px;
  margin-top: 14px;
}

form p {
  grid-column: 1 / -1;
}

.hint {
  font-size: 12.5px;
}
</style>
