<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import type { ConnectionView } from '@keen-larder/contract/connections.ts';
import { connectionWords, wantsHands } from '@keen-larder/core/phone/connections.ts';
import { api } from '../../api/client.ts';
import CopyText from '../../parts/CopyText.vue';
import { useBench } from '../../state/bench.ts';
import { useConnections } from '../../state/connections.ts';
import { announceError } from '../../state/notices.ts';

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

const serverText = computed(() => {
  switch (view.value?.adbServer.state) {
    case 'running':
      return 'is running: phones on USB appear by themselves.';
    case 'missing':
      return 'does not run, so phones on USB are not seen. Start it by “adb start-server”; it is found by itself.';
    case 'silent':
      return 'does not answer, so phones on USB are not seen. End it by “adb kill-server” and start it again by “adb start-server”.';
    default:
      return 'is not followed by this start of the program; addresses below are.';
  }
});
</script>

<template>
  <h1>Connections</h1>
  <template v-if="view">
    <section aria-labelledby="usb">
      <h2 id="usb">USB</h2>
      <p>The adb server of this computer (port <code>{{ view.adbServer.port }}</code>) {{ serverText }}</p>
      <p>
        This computer's own key, by which phones know it on addresses:
        <CopyText :value="view.fingerprint" name="fingerprint of the key" />
      </p>
    </section>
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
            <span class="soft">{{
              each.origin === 'start'
                ? 'given at the start'
                : each.origin === 'added'
                  ? 'added here'
                  : 'adb server'
            }}</span>
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
          placeholder="192.168.1.20:5555"
          spellcheck="false"
          maxlength="120"
        />
        <ElButton native-type="submit" :disabled="address.trim() === ''">Follow</ElButton>
        <p v-if="error" class="error" role="alert">{{ error }}</p>
        <p class="soft hint">
          adb as it is; a bootloader with <code>fastboot:</code> before it, loader mode with
          <code>loader:</code>.
        </p>
      </form>
    </section>
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
  margin-bottom: 22px;
}

h2 {
  margin-bottom: 6px;
  font-size: 17px;
}

section > p + p {
  margin-top: 4px;
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

.error {
  color: var(--beetroot);
  font-weight: 600;
}

.hint {
  font-size: 12.5px;
}
</style>
