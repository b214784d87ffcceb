import type { KindOfRun, KindsOfRun } from './engine/kind-of-run.ts';
import { imagingKind } from './imaging/imaging.ts';
import { restoringKind } from './restoring/restoring.ts';

const keepsWhatIsDone: KindOfRun = {
  interrupted: () => 'What was copied before is in the larder. Start it again with the rest.',
};

/** What is said of each kind of run when it did not come to its end. */
export const kindsOfRun: KindsOfRun = {
  imaging: imagingKind,
  restoring: restoringKind,
  copying: keepsWhatIsDone,
  'keeping-records': keepsWhatIsDone,
  'putting-apps': { interrupted: () => 'Put them back again: what was being exchanged is undone first.' },
  'putting-records': { interrupted: () => 'Put them back again: what was being exchanged is undone first.' },
  'changing-apps': {},
  'removing-leftovers': { interrupted: () => 'What was kept is in the larder. Look again for what is left.' },
  'installing-waiting': {},
  'putting-shared': {
    interrupted: () => 'What is in place stays. Start it again: what is there is not sent twice.',
  },
  locking: {},
  verifying: {},
  exporting: {},
  comparing: {},
  importing: {},
  rebuilding: {},
  'copying-off-site': { interrupted: () => 'What was sent before is there: it goes on with the rest.' },
  moving: { interrupted: () => 'What was not moved is here as before. Move it again.' },
  ordering: { interrupted: () => 'The rest goes when the rules are carried out the next time.' },
  erasing: { interrupted: () => 'Erase it again: what is left goes then.' },
  fetching: { interrupted: () => 'What was fetched before is on the shelf. Fetch it again: the rest comes.' },
};
