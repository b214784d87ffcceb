import { createHash } from 'node:crypto';
import { posix } from 'node:path';
import { onePiece } from '@keen-larder/core/bytes/one-piece.ts';
import { PhoneRefusal } from '../../../failures.ts';
import type { Handing } from '../../phone-link.ts';
import { commands } from '../commands.ts';
import type { AdbDigests } from '../digests.ts';
import { AdbProviders } from '../providers.ts';
import type { AdbShell } from '../shell.ts';

/** Files in shared storage that an app of the phone opens. */
export class AdbHanding implements Handing {
  readonly folder = '/sdcard/Download';
  readonly providers: AdbProviders;

  constructor(
    private readonly shell: AdbShell,
    private readonly digests: AdbDigests,
  ) {
    this.providers = new AdbProviders(shell);
  }

  async write(path: string, bytes: Uint8Array): Promise<void> {
    await this.shell.must(commands.makeFolders([posix.dirname(path)]));
    await this.shell.feed(commands.writeShared(path), onePiece(bytes));
    const digest = createHash('sha256').update(bytes).digest('hex');
    if ((await this.digests.files('/', [path], bytes.length)).get(path) !== digest)
      throw new PhoneRefusal(`${path} did not come out on the phone as it was sent.`);
  }

  async remove(path: string): Promise<void> {
    await this.shell.must(commands.removeAll([path]));
  }

  async open(path: string, mediaType: string): Promise<void> {
    await this.shell.must(commands.openFile(path, mediaType));
  }
}
