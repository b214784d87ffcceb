import { mkdir, open, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { openBatch } from '@keen-larder/server/imports/batch.ts';
import type { KeenLarder } from '@keen-larder/server/keen-larder.ts';
import { startImporting } from '@keen-larder/server/runs/files/importing.ts';
import { makeBootImage, stockBoot } from '@keen-larder/standin/firmware/boot-images.ts';
import { firmwareBuilds } from '@keen-larder/standin/firmware/builds.ts';
import { pourTemplate } from '@keen-larder/standin/firmware/pour.ts';

const model = { maker: 'Tidewell', model: 'Knot 3' };
const builds = {
  'system-january': 'Knot 3 · maker’s files · January',
  'system-estuary': 'Knot 3 · Estuary 10 · June',
} as const;
type Build = keyof typeof builds;
/** What the package asks of a phone. */
const asks = 'require board=knot3\nrequire version-bootloader=Quern-Q58-1.3|Quern-Q58-1.4\n';
const systemBytes = 96 << 20;

/** Takes in what the maker hands out for a model, as files: what is flashed when a phone's own sets do not help. */
export async function importFirmware(app: KeenLarder, home: string): Promise<void> {
  const folder = join(home, 'demo-firmware');
  for (const [build, label] of Object.entries(builds) as [Build, string][]) {
    await mkdir(folder, { recursive: true });
    try {
      await writeFile(join(folder, 'boot.img'), makeBootImage(stockBoot(firmwareBuilds[build])));
      await pourSystem(build, join(folder, 'system.img'));
      await writeFile(join(folder, 'android-info.txt'), asks);
      const batch = await openBatch('firmware', folder, join(folder, 'unpacked'));
      const choices = ['boot', 'system'].map((partition) => ({ path: `${partition}.img`, partition }));
      const start = {
        ...{ choices, serial: '', firmwareOf: model, confirmed: [] },
        label,
      };
      const { id } = await startImporting(app, batch, start, () => Promise.resolve(''));
      const ended = await app.engine.ended(id);
      await batch.close();
      if (ended.state !== 'done') throw new Error(`the demo’s history could not be made: ${ended.outcome}`);
    } finally {
      await rm(folder, { recursive: true, force: true });
    }
  }
}

async function pourSystem(build: Build, path: string): Promise<void> {
  const file = await open(path, 'w+');
  try {
    await file.truncate(systemBytes);
    await pourTemplate(
      build,
      {
        bytes: systemBytes,
        read: async (offset, length) => {
          const bytes = Buffer.alloc(length);
          await file.read(bytes, 0, length, offset);
          return bytes;
        },
        write: async (offset, bytes) => void (await file.write(bytes, 0, bytes.length, offset)),
      },
      true,
    );
  } finally {
    await file.close();
  }
}
