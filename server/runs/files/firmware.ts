import { BootFailure, loadKernel, type BootFlash } from '@keen-larder/core/boot/boot.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import type { PackageFacts } from '@keen-larder/core/formats/package-metadata/package-metadata.ts';
import { conditionFrom, type Condition } from '@keen-larder/core/phone/facts.ts';
import { imageSource } from '../../larder/inside/image-source.ts';
import { installedSystem } from '../../links/contents.ts';
import { packChunkList, type ManifestImage } from '../../shelf/manifest.ts';
import type { Shelf } from '../../shelf/shelf.ts';
import { DamagedImage } from '../../failures.ts';

const slots = ['', '_a', '_b'];

/** What images and the package that they came in say; what the images say goes first. */
export async function conditionOfFiles(
  shelf: Shelf,
  images: readonly ManifestImage[],
  facts: PackageFacts | undefined,
): Promise<Condition> {
  return {
    ...(facts?.build && { fingerprint: facts.build }),
    ...(facts?.patchLevel && { patchLevel: facts.patchLevel }),
    ...(await conditionOfImages(shelf, images)),
    ...(facts && { package: facts }),
  };
}

/**
 * What images say they are for: model, version and build, from the properties of their system, or else from
 * those of a boot image's ramdisk.
 */
async function conditionOfImages(shelf: Shelf, images: readonly ManifestImage[]): Promise<Condition> {
  const sources = new Map<string, ByteSource>();
  const partition = (name: string) => {
    const image = images.find((each) => each.partition === name && each.kind !== 'archive');
    if (!image) return Promise.resolve(undefined);
    const source =
      sources.get(name) ??
      imageSource(shelf, {
        partition: name,
        bytes: image.bytes,
        chunkBytes: image.chunkBytes,
        chunks: packChunkList(image.chunks),
      });
    sources.set(name, source);
    return Promise.resolve(source);
  };
  try {
    for (const slot of slots) {
      const found = await installedSystem(partition, slot);
      if (found) return withProduct(found.properties, conditionFrom(found.properties, found.hasSu));
    }
    for (const slot of slots) {
      const properties = await bootProperties(
        { partition, earlyLoader: () => Promise.resolve(undefined) },
        slot,
      );
      if (properties) return withProduct(properties, conditionFrom(properties, undefined));
    }
  } catch (error) {
    if (!(error instanceof DamagedImage)) throw error;
  }
  return { kind: 'unknown' };
}

async function bootProperties(flash: BootFlash, slot: string) {
  if (!(await flash.partition(`boot${slot}`))) return undefined;
  try {
    return (await loadKernel(flash, 'boot', slot)).properties;
  } catch (error) {
    if (error instanceof BootFailure || error instanceof FormatError) return undefined;
    throw error;
  }
}

function withProduct(properties: Readonly<Record<string, string>>, condition: Condition): Condition {
  const maker = properties['ro.product.manufacturer'];
  const model = properties['ro.product.model'];
  return { ...condition, ...(maker && model && { product: { maker, model } }) };
}
