/** What fills the demo's larder: much to load, while the phones are made. */
export { adbKeyOf } from '@keen-larder/server/links/adb/key.ts';
export { readOffsiteFile, writeOffsiteFile } from '@keen-larder/server/offsite/offsite-file.ts';
export { startBucket } from '@keen-larder/standin/bucket.ts';
export { recipes } from '@keen-larder/standin/scenario/phones.ts';
export { demoPassphrase, makeHistory } from './history.ts';
