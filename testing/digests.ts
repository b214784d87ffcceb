import { deviceDigest } from '@keen-larder/standin/flash/content-digests.ts';
import type { Device } from '@keen-larder/standin/flash/flash.ts';

/** SHA-256 of what lies on a simulated phone's flash; lower-case hexadecimal. */
export const digestOnFlash = (device: Device): Promise<string> =>
  deviceDigest(device, { offset: 0, bytes: device.bytes }, 'sha256');
