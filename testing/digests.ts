import { contentDigest } from '@keen-larder/standin/flash/content-digests.ts';
import type { Device } from '@keen-larder/standin/flash/flash.ts';

const pieceBytes = 1 << 20;

/** SHA-256 of what lies on a simulated phone's flash; lower-case hexadecimal. */
export const digestOnFlash = (device: Device): Promise<string> =>
  contentDigest(async function* () {
    for (let at = 0; at < device.bytes; at += pieceBytes)
      yield await device.read(at, Math.min(pieceBytes, device.bytes - at));
  }, 'sha256');
