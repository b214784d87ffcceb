import { ref, type Ref } from 'vue';
import { announceError } from './notices.ts';

/** Does one thing at a time, and says what went wrong. */
export function useDoing(): {
  readonly busy: Ref<boolean>;
  doing(work: () => Promise<unknown>): Promise<void>;
} {
  const busy = ref(false);
  return {
    busy,
    async doing(work) {
      busy.value = true;
      try {
        await work();
      } catch (failure) {
        announceError(failure);
      } finally {
        busy.value = false;
      }
    },
  };
}
