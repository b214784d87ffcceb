import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { SessionView } from '@keen-larder/contract/people.ts';
import { api, ApiError, whenLockedOut, type About } from '../api/client.ts';

/** Who sits here, where that is asked. */
export const useSession = defineStore('session', () => {
  const view = shallowRef<SessionView>();
  const about = shallowRef<About>({
    practice: false,
    isOpen: false,
    version: '',
    node: '',
    catalogue: 0,
    shelf: 0,
  });
  /** Why the server answers nothing to this browser: it has not the key of the link. */
  const lockedOut = ref<string>();

  const me = computed(() => view.value?.me);
  const mustSignIn = computed(() => view.value?.asksWho === true && me.value === undefined);
  /** Where nobody is asked, everybody is. */
  const isOwner = computed(() => view.value?.asksWho !== true || me.value?.role === 'owner');

  async function load(): Promise<void> {
    try {
      [about.value, view.value] = await Promise.all([api.about(), api.session()]);
    } catch (error) {
      if (error instanceof ApiError && error.problem.status === 401) lockedOut.value = error.message;
    }
  }

  async function signIn(name: string, passphrase: string): Promise<void> {
    view.value = await api.signIn({ name, passphrase });
  }

  let isLeaving = false;

  /** Nothing that was seen stays behind. */
  async function signOut(): Promise<void> {
    isLeaving = true;
    try {
      await api.signOut();
      window.location.reload();
    } catch (error) {
      isLeaving = false;
      throw error;
    }
  }

  // A form to sign in that is gone with the page a moment later would lose what is typed into it.
  whenLockedOut(() => {
    if (!isLeaving && me.value && view.value) view.value = { ...view.value, me: undefined };
  });

  return { view, about, lockedOut, me, mustSignIn, isOwner, load, signIn, signOut };
});
