<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref, shallowRef } from 'vue';
import type { Shop } from '@keen-larder/core/jobs/report.ts';
import { api } from '../../api/client.ts';
import { announceError } from '../../state/notices/notices.ts';

/** What stands at the head of papers. */
const shop = shallowRef<Shop>();
const name = ref('');
const address = ref('');
const isOpen = ref(false);
function take(found: Shop): void {
  shop.value = found;
  [name.value, address.value] = [found.name, found.address];
}
void api.shop().then(take, announceError);

async function save(): Promise<void> {
  try {
    take(await api.changeShop({ name: name.value.trim(), address: address.value.trim() }));
    isOpen.value = false;
  } catch (failure) {
    announceError(failure);
  }
}
</script>

<template>
  <form v-if="isOpen" aria-label="Head of papers" @submit.prevent="save">
    <ElInput v-model="name" maxlength="120" placeholder="Name of the shop" aria-label="Name of the shop" />
    <ElInput
      v-model="address"
      type="textarea"
      :rows="2"
      maxlength="400"
      placeholder="Its address, in lines"
      aria-label="Address of the shop"
    />
    <span>
      <ElButton native-type="submit" type="primary" size="small" :disabled="name.trim() === ''"
        >Save</ElButton
      >
      <ElButton size="small" @click="isOpen = false">Leave it</ElButton>
    </span>
  </form>
  <p v-else-if="shop" class="soft">
    Papers are headed “{{ shop.name }}”. <a href="#" @click.prevent="isOpen = true">Change that</a>
  </p>
</template>

<style scoped>
form {
  display: grid;
  gap: 8px;
  max-width: 420px;
}

p {
  font-size: 13px;
}
</style>
