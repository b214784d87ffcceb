import type { RunKind, RunState } from '@keen-larder/contract/runs.ts';

export const runKinds: Readonly<Record<RunKind, string>> = {
  imaging: 'Imaging',
  restoring: 'Putting back',
  copying: 'Copying apps',
  'putting-apps': 'Putting apps back',
  'changing-apps': 'Changing apps',
  'removing-leftovers': 'Removing leftovers',
  'installing-waiting': 'Installing programs',
  'putting-shared': 'Putting shared storage back',
  'keeping-records': 'Keeping records',
  'putting-records': 'Putting records back',
  locking: 'Locking and unlocking',
  verifying: 'Verifying',
  exporting: 'Exporting',
  comparing: 'Comparing',
  importing: 'Importing',
  rebuilding: 'Rebuilding the catalogue',
  'copying-off-site': 'Copying off-site',
  fetching: 'Fetching from off-site',
  moving: 'Moving into a copy',
  erasing: 'Erasing',
  ordering: 'Putting in order',
};

export const runStates: Readonly<Record<RunState, string>> = {
  queued: 'in the queue',
  running: 'under way',
  paused: 'paused',
  waiting: 'waiting',
  done: 'done',
  incomplete: 'not complete',
  failed: 'did not succeed',
  cancelled: 'cancelled',
  interrupted: 'interrupted',
};
