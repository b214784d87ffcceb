import { ElNotification } from 'element-plus';
import type { RunView } from '@keen-larder/contract/runs.ts';

const titles = {
  done: 'Done',
  failed: 'Did not succeed',
  cancelled: 'Cancelled',
  interrupted: 'Interrupted',
  running: '',
} as const;

/** Says that a run has ended, wherever one is in the interface. */
export function announceEnd(run: RunView): void {
  ElNotification({
    title: titles[run.state],
    message: `${run.title}. ${run.outcome ?? ''}`,
    type: run.state === 'done' ? 'success' : run.state === 'failed' ? 'error' : 'warning',
    duration: run.state === 'done' ? 8000 : 0,
    position: 'bottom-right',
  });
}

/** Says that something asked for was not done, and why. */
export function announceError(error: unknown): void {
  ElNotification({
    title: 'This was not done',
    message: (error as Error).message,
    type: 'error',
    duration: 10_000,
    position: 'bottom-right',
  });
}
