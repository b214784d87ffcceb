/** What a request did, in words that follow a name: “Ringing hut bench deleted a set”. Nothing where it changes nothing, as a sheet. */
export interface Deed {
  readonly words: string | undefined;
  /** Only who owns the shop may do it. */
  readonly forOwners?: boolean;
}

const does = (words: string): Deed => ({ words });
const owners = (words: string): Deed => ({ words, forOwners: true });
const asks: Deed = { words: undefined };

/** Every request that is no mere look, by its route. */
export const deeds: Readonly<Record<string, Deed>> = {
  'POST /session': asks,
  'DELETE /session': does('signed out'),
  'PUT /session/passphrase': does('changed the own passphrase'),
  'POST /operators': owners('added an operator'),
  'PATCH /operators/:id': owners('changed an operator'),
  'DELETE /operators/:id': owners('removed an operator'),
  'GET /record/export': does('exported the record'),

  'POST /connections': does('added an address'),
  'POST /connections/pairing': does('paired with a phone'),
  'POST /connections/wireless': does('connected a phone over the air'),
  'DELETE /connections/:address': does('removed an address'),
  'PATCH /phones/:serial': does('renamed a phone'),
  'POST /phones/:serial/restart': does('restarted a phone'),
  'POST /phones/:serial/survey': does('tried the tools of a phone'),
  'POST /phones/:serial/comparing': does('compared a phone'),
  'POST /phones/:serial/erasing': owners('erased what is kept of a phone'),

  'POST /phones/:serial/imaging-sheet': asks,
  'POST /phones/:serial/imaging': does('imaged a phone'),
  'POST /phones/:serial/restoring-sheet': asks,
  'POST /phones/:serial/restoring': does('put images onto a phone'),
  'POST /phones/:serial/locking-sheet': asks,
  'POST /phones/:serial/locking': does('locked or unlocked a bootloader'),
  'POST /phones/:serial/copying-sheet': asks,
  'POST /phones/:serial/copying': does('copied apps'),
  'POST /phones/:serial/putting-apps-sheet': asks,
  'POST /phones/:serial/putting-apps': does('put apps onto a phone'),
  'POST /phones/:serial/changing-apps-sheet': asks,
  'POST /phones/:serial/changing-apps': does('changed the apps of a phone'),
  'POST /phones/:serial/keeping-records-sheet': asks,
  'POST /phones/:serial/keeping-records': does('copied records'),
  'POST /phones/:serial/putting-records-sheet': asks,
  'POST /phones/:serial/putting-records': does('put records onto a phone'),
  'POST /phones/:serial/moving-sheet': asks,
  'POST /phones/:serial/moving': does('moved apps to another phone'),
  'POST /phones/:serial/taking-in-recovery': does('copied apps in recovery'),
  'POST /sets/:id/images/:partition/taking-out': does('took apps out of an image'),

  'DELETE /runs': does('cleared old runs'),
  'POST /runs/:id/cancel': does('cancelled a run'),
  'POST /runs/:id/pause': does('paused a run'),
  'POST /runs/:id/continue': does('continued a run'),
  'POST /runs/:id/resume': does('resumed a run'),
  'GET /runs/:id/proof.html': does('downloaded a proof of return'),
  'GET /runs/:id/proof.pdf': does('downloaded a proof of return'),

  'PATCH /sets/:id': does('changed a set'),
  'POST /sets/changing': does('changed some sets'),
  'POST /sets/verifying': does('verified sets'),
  'POST /sets/:id/verifying': does('verified a set'),
  'POST /sets/:id/exporting': does('exported a set'),
  'GET /sets/:id/export': does('downloaded a set'),
  'GET /sets/:id/images/:partition/raw': does('downloaded an image'),
  'GET /sets/:id/images/:partition/file': does('downloaded a file out of an image'),
  'GET /sets/:id/compared-with/:other': does('downloaded a comparison'),
  'POST /exports/:id/verifying': does('verified an export'),
  'DELETE /exports/:id': does('deleted an export'),
  'POST /bin/empty': does('emptied the bin'),
  'POST /rebuilding': does('rebuilt the catalogue'),
  'PATCH /app-copies/:id': does('changed a copy of an app'),
  'GET /app-copies/:id/export': does('downloaded a copy of an app'),
  'PATCH /record-copies/:id': does('changed a copy of records'),
  'GET /record-copies/:id/parts/*name': does('downloaded records'),
  'POST /verifying-copies': does('verified copies'),
  'POST /set-aside': does('changed some copies'),

  'PUT /order/due': does('changed when phones are due'),
  'PUT /order/rules': does('changed the rules for keeping'),
  'PUT /order/schedule': does('changed when the rules are carried out'),
  'POST /order': does('carried out the rules for keeping'),
  'PUT /names': does('changed what is found by its name'),
  'PUT /trackers': does('changed the list of trackers'),

  'PUT /seal': owners('sealed the larder'),
  'POST /seal/unlocking': does('unlocked the larder'),
  'PUT /seal/passphrase': owners('changed the passphrase of the larder'),
  'DELETE /seal': owners('took the seal off the larder'),
  'PUT /offsite': owners('set up the off-site copy'),
  'DELETE /offsite': owners('ended the off-site copy'),
  'POST /offsite/unlocking': does('unlocked the off-site copy'),
  'PUT /offsite/limits': does('changed the limits of the off-site copy'),
  'POST /offsite/copying': does('copied off-site'),
  'POST /offsite/fetching': does('fetched from off-site'),

  'POST /copies': asks,
  'PUT /copies/:id/files': asks,
  'POST /copies/:id/end': does('copied files in'),
  'DELETE /copies/:id': asks,
  'DELETE /imports/:id': does('discarded files that were copied in'),
  'POST /imports/:id/sheet': asks,
  'POST /imports/:id/importing': does('imported files'),
  'POST /imports/:id/apps-sheet': asks,
  'POST /imports/:id/importing-apps': does('imported apps'),

  'POST /jobs': does('opened a job card'),
  'PATCH /jobs/:id': does('changed a job card'),
  'POST /jobs/:id/notes': does('wrote on a job card'),
  'GET /jobs/:id/report.pdf': does('made a hand-over report'),
  'GET /jobs/:id/report.html': does('made a hand-over report'),
  'PUT /shop': does('changed the head of papers'),

  'POST /practice/:serial': asks,
};
