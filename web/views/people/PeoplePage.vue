<script setup lang="ts">
import { ElButton, ElInput, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed, ref, shallowRef } from 'vue';
import type { OperatorRole, OperatorView } from '@keen-larder/contract/people.ts';
import { leastPassphrase } from '@keen-larder/core/larder/passphrase.ts';
import { api } from '../../api/client.ts';
import TimeText from '../../parts/TimeText.vue';
import { useNotices } from '../../state/notices/notices.ts';
import { useSession } from '../../state/session.ts';
import ShopRecord from './ShopRecord.vue';

/** Who works here, and the record of what was done. */
const session = useSession();
const notices = useNotices();
const people = shallowRef<readonly OperatorView[]>();
const error = ref<string>();
const busy = ref(false);
const name = ref('');
const role = ref<OperatorRole>('owner');
const passphrase = ref('');
/** Whose passphrase is being changed; one's own is asked for as it was. */
const changing = ref<OperatorView>();
const before = ref('');
const next = ref('');
const recordVersion = ref(0);

const isFirst = computed(() => people.value?.length === 0);
const isOwn = computed(() => changing.value?.id === session.me?.id);

async function load(): Promise<void> {
  people.value = await api.operators();
  role.value = people.value.length === 0 ? 'owner' : 'technician';
  recordVersion.value++;
}
void doing(() => Promise.resolve());

async function doing(work: () => Promise<unknown>): Promise<boolean> {
  error.value = undefined;
  busy.value = true;
  try {
    await work();
    await load();
    return true;
  } catch (failure) {
    error.value = (failure as Error).message;
    return false;
  } finally {
    busy.value = false;
  }
}

/** Whoever adds the first one goes on as that one. */
const add = () =>
  doing(async () => {
    const draft = { name: name.value.trim(), role: role.value, passphrase: passphrase.value };
    const wasFirst = isFirst.value;
    await api.addOperator(draft);
    if (wasFirst) await session.signIn(draft.name, draft.passphrase);
    [name.value, passphrase.value] = ['', ''];
  });

async function changePassphrase(): Promise<void> {
  const whose = changing.value!;
  const isDone = await doing(() =>
    isOwn.value
      ? api.changeOwnPassphrase({ before: before.value, passphrase: next.value })
      : api.changeOperator(whose.id, { passphrase: next.value }),
  );
  if (!isDone) return;
  leave();
  notices.say({
    kind: 'good',
    title: `${whose.name} has a new passphrase`,
    message: 'All other sessions of that name have ended.',
  });
}

function leave(): void {
  changing.value = undefined;
  [before.value, next.value] = ['', ''];
}

const remove = (who: OperatorView) =>
  doing(async () => {
    await api.removeOperator(who.id);
    if (people.value!.length === 1) await session.load();
  });
const setRole = (who: OperatorView, to: OperatorRole) =>
  doing(() => api.changeOperator(who.id, { role: to }));
</script>

<template>
  <article class="page">
    <h1>People</h1>
    <p v-if="isFirst">
      Nobody signs in at this bench. Once you add an operator, the bench asks who uses it, and every run, job
      card, deletion and download carries a name. To use the bench from another computer, operators are
      required.
    </p>
    <p v-if="error" class="error" role="alert">{{ error }}</p>
    <ul v-if="people?.length" class="people">
      <li v-for="who in people" :key="who.id">
        <strong>{{ who.name }}</strong>
        <span>{{ who.role }}{{ who.id === session.me?.id ? ', you' : '' }}</span>
        <span class="soft">
          <template v-if="who.lastSeenAt">seen <TimeText :at="who.lastSeenAt" /></template>
          <template v-else>not signed in</template>
        </span>
        <span class="acts">
          <ElButton v-if="session.isOwner || who.id === session.me?.id" size="small" @click="changing = who">
            New passphrase
          </ElButton>
          <template v-if="session.isOwner">
            <ElButton
              size="small"
              :disabled="busy"
              @click="setRole(who, who.role === 'owner' ? 'technician' : 'owner')"
            >
              Make {{ who.role === 'owner' ? 'technician' : 'owner' }}
            </ElButton>
            <ElButton size="small" :disabled="busy" @click="remove(who)">Remove</ElButton>
          </template>
        </span>
      </li>
    </ul>
    <form
      v-if="changing"
      class="form"
      :aria-label="`New passphrase of ${changing.name}`"
      @submit.prevent="changePassphrase"
    >
      <h2>New passphrase of {{ changing.name }}</h2>
      <label v-if="isOwn">
        <span>Passphrase until now</span>
        <ElInput
          v-model="before"
          type="password"
          autocomplete="current-password"
          aria-label="Passphrase until now"
        />
      </label>
      <label>
        <span>New passphrase</span>
        <ElInput
          v-model="next"
          type="password"
          show-password
          autocomplete="new-password"
          aria-label="New passphrase"
        />
      </label>
      <p class="soft">At least {{ leastPassphrase }} letters. Other sessions of this name end.</p>
      <div>
        <ElButton type="primary" native-type="submit" :disabled="busy || !next || (isOwn && !before)"
          >Change</ElButton
        >
        <ElButton @click="leave">Leave it</ElButton>
      </div>
    </form>
    <form
      v-if="people && session.isOwner && !changing"
      class="form"
      aria-label="Add an operator"
      @submit.prevent="add"
    >
      <h2>{{ isFirst ? 'Add the owner' : 'Add an operator' }}</h2>
      <label>
        <span>Name</span>
        <ElInput v-model="name" maxlength="60" autocomplete="off" aria-label="Name" />
      </label>
      <label>
        <span>Passphrase</span>
        <ElInput
          v-model="passphrase"
          type="password"
          show-password
          autocomplete="new-password"
          aria-label="Passphrase"
        />
      </label>
      <ElRadioGroup v-if="!isFirst" v-model="role" aria-label="Role">
        <ElRadioButton value="technician">Technician</ElRadioButton>
        <ElRadioButton value="owner">Owner</ElRadioButton>
      </ElRadioGroup>
      <p class="soft">
        At least {{ leastPassphrase }} letters: several words are easy to remember. Only an owner erases a
        phone’s data, changes the seal or the off-site copy, and adds operators.
      </p>
      <div>
        <ElButton
          type="primary"
          native-type="submit"
          :disabled="busy || !name.trim() || passphrase.length < leastPassphrase"
        >
          {{ isFirst ? 'Add and sign in' : 'Add' }}
        </ElButton>
      </div>
    </form>
    <ShopRecord v-if="people" :key="recordVersion" />
  </article>
</template>

<style scoped>
.people {
  display: grid;
  grid-template-columns: minmax(110px, 1fr) auto auto auto;
  border-top: 1px solid var(--rule);
}

.people li {
  display: grid;
  grid-column: 1 / -1;
  grid-template-columns: subgrid;
  gap: 4px 12px;
  align-items: center;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}

.people strong {
  overflow-wrap: anywhere;
}

.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  justify-content: flex-end;
}

.acts > * {
  margin: 0;
}

.form {
  display: grid;
  gap: 10px;
  max-width: 420px;
  margin-top: 18px;
}

.form label {
  display: grid;
  gap: 4px;
  font-weight: 600;
}
</style>
