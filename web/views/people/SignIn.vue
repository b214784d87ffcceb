<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref } from 'vue';
import { useSession } from '../../state/session.ts';

const session = useSession();
const name = ref('');
const passphrase = ref('');
const error = ref<string>();
const busy = ref(false);

async function signIn(): Promise<void> {
  error.value = undefined;
  busy.value = true;
  try {
    await session.signIn(name.value.trim(), passphrase.value);
  } catch (failure) {
    error.value = (failure as Error).message;
    passphrase.value = '';
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form aria-label="Sign in" class="sign-in" @submit.prevent="signIn">
    <img src="/mark.svg" alt="" width="44" height="52" />
    <h1>Keen Larder</h1>
    <label>
      <span>Name</span>
      <ElInput v-model="name" autocomplete="username" autofocus aria-label="Name" />
    </label>
    <label>
      <span>Passphrase</span>
      <ElInput
        v-model="passphrase"
        type="password"
        show-password
        autocomplete="current-password"
        aria-label="Passphrase"
      />
    </label>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <ElButton type="primary" native-type="submit" :disabled="busy || !name.trim() || !passphrase"
      >Sign in</ElButton
    >
    <p class="soft">
      Forgotten? An owner gives you a new passphrase under <em>People</em>. Without an owner:
      <code>npm run larder -- operators passphrase NAME</code> on the bench computer, while Keen Larder does
      not run.
    </p>
  </form>
</template>

<style scoped>
.sign-in {
  display: grid;
  gap: 12px;
  width: min(340px, 92vw);
}

img {
  justify-self: center;
  padding: 8px 12px;
  border-radius: 8px;
  background: var(--bar);
  box-sizing: content-box;
}

h1 {
  text-align: center;
}

label {
  display: grid;
  gap: 4px;
  font-weight: 600;
}

.soft {
  font-size: 13px;
}
</style>
