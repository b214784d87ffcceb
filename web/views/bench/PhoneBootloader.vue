<script setup lang="ts">
import { computed } from 'vue';
import type { PhoneView } from '@keen-larder/contract/bench.ts';

/** What locking and unlocking mean for a phone; the tray does either. */
const props = defineProps<{ phone: PhoneView }>();
const unlocked = computed(() => props.phone.facts?.condition.bootloaderUnlocked);
const variables = computed(() => Object.entries(props.phone.facts?.variables ?? {}).sort());
</script>

<template>
  <section aria-labelledby="state">
    <h2 id="state">
      The bootloader is {{ unlocked === undefined ? 'not asked yet' : unlocked ? 'unlocked' : 'locked' }}
    </h2>
    <p>
      <template v-if="unlocked === undefined">
        This mode does not say. In system or bootloader mode the phone tells.
      </template>
      <template v-else-if="unlocked">
        It takes images over its own link and starts what its maker did not sign, behind a warning.
      </template>
      <template v-else>
        It takes no images and starts only what its maker signed. Recovery that gives root, and loader mode
        where the processor has one, still write.
      </template>
    </p>
    <dl>
      <div>
        <dt>Unlocking</dt>
        <dd>wipes all user data. The phone asks on its screen, and somebody has to agree with its keys.</dd>
      </div>
      <div>
        <dt>Locking</dt>
        <dd>
          wipes all user data as well, and afterwards nothing starts that does not verify against the maker’s
          key. It is refused here unless every part of the boot chain does.
        </dd>
      </div>
    </dl>
    <template v-if="variables.length">
      <h3>What the bootloader tells of itself</h3>
      <table>
        <tbody>
          <tr v-for="[name, value] in variables" :key="name">
            <th scope="row">{{ name }}</th>
            <td>{{ value }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 10px;
  max-width: 760px;
}

h2 {
  font-size: 16px;
}

h3 {
  margin-top: 6px;
  font-size: 14px;
}

dl div {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 10px;
  padding: 7px 0;
  border-top: 1px solid var(--rule);
}

dt {
  font-weight: 700;
}

table {
  border-collapse: collapse;
  font: 12.5px/1.5 var(--mono);
}

th {
  padding-right: 18px;
  color: var(--ink-soft);
  font-weight: 400;
  text-align: left;
}

tr {
  border-bottom: 1px solid var(--rule);
}
</style>
