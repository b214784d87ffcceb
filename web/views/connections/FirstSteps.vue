<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref } from 'vue';
import type { ConnectionsView, WirelessPhone } from '@keen-larder/contract/connections.ts';
import { adbServerWords, udevWords, usbReadiness, usbWords } from '@keen-larder/core/phone/connections.ts';
import { api } from '../../api/client.ts';
import CopyText from '../../parts/CopyText.vue';
import TimeText from '../../parts/TimeText.vue';
import { useConnections } from '../../state/connections.ts';
import { announceError } from '../../state/notices/notices.ts';

/** What to do first so that a phone shows, for each way to it, and how this computer stands to that way. */
const props = defineProps<{ view: ConnectionsView }>();
const connections = useConnections();
const address = ref('');
const code = ref('');
const paired = ref<string>();
const error = ref<string>();
const isPairing = ref(false);
const canPair = computed(() => props.view.adbServer.state === 'running');
const shown = computed(() => props.view.wireless ?? []);
const usb = computed(() => usbReadiness(props.view.adbServer.state, props.view.usb));

async function pair(): Promise<void> {
  error.value = paired.value = undefined;
  isPairing.value = true;
  try {
    await api.pair(address.value.trim(), code.value.trim());
    paired.value = address.value;
    address.value = code.value = '';
    await connections.load();
  } catch (failure) {
    error.value = (failure as Error).message;
  }
  isPairing.value = false;
}
const connect = (phone: WirelessPhone) =>
  api.connectWireless(phone.address).then(() => connections.load(), announceError);
</script>

<template>
  <div class="ways">
    <section aria-labelledby="usb">
      <h3 id="usb"><span class="number">1</span> By USB</h3>
      <p class="stand" :class="usb.ready ? 'ready' : 'caution'" role="status">{{ usb.text }}</p>
      <p v-if="!usb.ready && view.usb.rules === 'missing'" class="act">
        <CopyText
          value="sudo cp packaging/70-keen-larder.rules /etc/udev/rules.d/"
          name="the command that lets this account use phones"
        />
      </p>
      <p v-else-if="!usb.ready" class="act">
        <CopyText value="adb start-server" name="the command that starts the adb server" />
      </p>
      <ol>
        <li>
          On the phone: <em>Settings › About phone</em>, tap <em>Build number</em> seven times; then
          <em>Developer options › USB debugging</em> on.
        </li>
        <li>Put the cable in and unlock the phone.</li>
        <li>
          Allow this computer on its screen. The key it shows is
          <CopyText :value="view.fingerprint" name="fingerprint of the key" />
        </li>
      </ol>
      <ul class="soft" aria-label="How this computer stands to USB">
        <li>The adb server (port {{ view.adbServer.port }}) {{ adbServerWords[view.adbServer.state] }}</li>
        <li>{{ usbWords(view.usb.state, view.usb.why) }}</li>
        <li v-if="usb.ready && udevWords[view.usb.rules]" :class="{ caution: view.usb.rules === 'missing' }">
          {{ udevWords[view.usb.rules] }}
        </li>
        <li v-if="view.usb.lastSeen">
          Last seen, <TimeText :at="view.usb.lastSeen.at" />: {{ view.usb.lastSeen.what }}
        </li>
        <li v-else-if="view.usb.state === 'followed'">Nothing was plugged in since the start.</li>
      </ul>
    </section>
    <section aria-labelledby="wireless">
      <h3 id="wireless"><span class="number">2</span> By network</h3>
      <p class="stand" :class="canPair ? 'ready' : 'caution'">
        {{
          canPair
            ? shown.length
              ? `Ready. ${shown.length} ${shown.length === 1 ? 'phone offers' : 'phones offer'} it now.`
              : 'Ready. No phone on this network offers it now.'
            : 'Pairing needs the adb server of this computer. An address can be followed without it.'
        }}
      </p>
      <ol>
        <li>Android 11 or later, on the same network: <em>Developer options › Wireless debugging</em> on.</li>
        <li><em>Pair device with pairing code</em>: type here what it shows.</li>
      </ol>
      <form @submit.prevent="pair">
        <ElInput
          v-model="address"
          size="small"
          placeholder="192.168.1.20:37123"
          aria-label="Address to pair with"
        />
        <ElInput
          v-model="code"
          size="small"
          maxlength="6"
          inputmode="numeric"
          placeholder="six digits"
          aria-label="Pairing code"
          class="code"
        />
        <ElButton
          size="small"
          native-type="submit"
          :loading="isPairing"
          :disabled="!canPair || address.trim() === '' || !/^\d{6}$/.test(code.trim())"
        >
          Pair
        </ElButton>
      </form>
      <p v-if="error" class="error" role="alert">{{ error }}</p>
      <p v-if="paired" role="status">Paired with {{ paired }}. It is connected to as it announces itself.</p>
      <ul class="soft" aria-label="Phones on this network">
        <li v-for="phone in shown" :key="phone.name + phone.address">
          {{ phone.address }}
          {{ phone.kind === 'pairing' ? 'waits to be paired' : 'offers wireless debugging' }}
          <ElButton v-if="phone.kind === 'pairing'" size="small" text @click="address = phone.address">
            Fill in
          </ElButton>
          <ElButton v-else size="small" text @click="connect(phone)">Connect</ElButton>
        </li>
        <li v-if="canPair && view.wireless === undefined">
          This adb server is too old to pair or to look for phones: the platform tools can from version 30 on.
        </li>
      </ul>
    </section>
    <section aria-labelledby="loader">
      <h3 id="loader"><span class="number">3</span> In bootloader or loader mode</h3>
      <p class="stand" :class="view.usb.state === 'followed' ? 'ready' : 'caution'">
        {{
          view.usb.state === 'followed'
            ? 'Ready. For a phone that does not start, or whose USB debugging is off.'
            : 'USB is not watched, so only addresses are followed.'
        }}
      </p>
      <ol>
        <li>
          Switch the phone off. Hold <em>Volume down</em> and <em>Power</em> until its bootloader shows; some
          models use other keys.
        </li>
        <li>Put the cable in; it shows here.</li>
      </ol>
      <ul class="soft">
        <li v-if="view.usb.state !== 'followed'">
          USB is not watched now: a bootloader can be followed at an address with
          <code>fastboot:</code> before it.
        </li>
        <li>
          A bootloader says what the phone is and takes firmware when it is unlocked. Loader mode also reads,
          on locked phones too. Its page says which keys lead there.
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.ways {
  columns: 2 280px;
  column-gap: 28px;
  text-align: left;
}

section {
  display: grid;
  gap: 7px;
  margin-bottom: 22px;
  break-inside: avoid;
}

h3 {
  font-size: 15px;
}

.number {
  display: inline-grid;
  place-items: center;
  width: 22px;
  height: 22px;
  margin-right: 4px;
  border-radius: 50%;
  background: var(--action);
  color: var(--on-action);
  font-size: 13px;
}

.stand {
  font-weight: 600;
}

.ready {
  color: var(--action);
}

ol {
  display: grid;
  gap: 4px;
  padding-left: 18px;
  list-style: decimal;
}

ul {
  display: grid;
  gap: 3px;
  padding-top: 6px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}

em {
  font-style: normal;
  font-weight: 600;
}

form {
  display: flex;
  gap: 6px;
}

.code {
  width: 96px;
}

.caution {
  color: var(--quince);
}
</style>
