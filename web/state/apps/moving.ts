import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { MovingView } from '@keen-larder/contract/copies.ts';
import { api } from '../../api/client.ts';

/** What is picked for a move from one phone. */
export interface MovingDraft {
  /** Serial of the phone that they go to. */
  to: string | undefined;
  picked: string[];
  what: 'both' | 'program';
  through: 'recovery' | undefined;
  confirmed: string[];
  armedWith: string;
}

/** Moves from one phone to another that are thought of. */
export const useMoving = defineStore('moving', () => {
  const views = shallowRef<Readonly<Record<string, MovingView>>>({});
  const errors = ref<Record<string, string | undefined>>({});
  const drafts = ref<Record<string, MovingDraft>>({});
  let asked = 0;

  function draft(serial: string): MovingDraft {
    drafts.value[serial] ??= {
      to: undefined,
      picked: [],
      what: 'both',
      through: undefined,
      confirmed: [],
      armedWith: '',
    };
    // What was put in is not what is watched: that is asked for anew.
    return drafts.value[serial];
  }

  async function load(serial: string): Promise<void> {
    const { to } = draft(serial);
    if (!to) return;
    const mine = ++asked;
    try {
      const view = await api.moving(serial, to);
      if (mine !== asked) return;
      views.value = { ...views.value, [serial]: view };
      errors.value[serial] = undefined;
    } catch (error) {
      if (mine === asked) errors.value[serial] = (error as Error).message;
    }
  }

  return { views, errors, draft, load };
});
