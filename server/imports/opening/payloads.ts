import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource, type ByteSource } from '@keen-larder/core/bytes/source.ts';
import { headBytes, recogniseImage } from '@keen-larder/core/formats/inspect/inspect.ts';
import { incrementalReason, readPayload } from '@keen-larder/core/formats/update-payload/payload.ts';
import { payloadImage } from '../../formats/firmware/payload-images.ts';
import { judgeSignatures } from '../../formats/firmware/payload-signatures.ts';
import { sourceBytes } from '../../formats/file-source.ts';
import { beginning } from './beginning.ts';
import type { OpenedFile } from './opened-file.ts';

/**
 * The partitions that an update payload holds.
 * @param certificate as PEM, where one came along
 * @throws FormatError when it is damaged
 */
export async function lookIntoPayload(
  source: ByteSource,
  path: string,
  certificate: string | undefined,
): Promise<OpenedFile[]> {
  const payload = await readPayload(source);
  const { partitions } = payload.manifest;
  const signature =
    certificate === undefined ? undefined : await judgeSignatures(source, payload, certificate);
  const said =
    signature === 'matches'
      ? 'The signature of the update matches the certificate that came along.'
      : 'The signature of the update is not checked: no certificate came along, or it has none.';
  const found: OpenedFile[] = [];
  for (const partition of partitions) {
    const image = () => payloadImage(source, payload, partition);
    const one = {
      path: `${path}/${partition.name}`,
      bytes: partition.operations.reduce((sum, { dataBytes }) => sum + dataBytes, 0),
      imageBytes: partition.bytes,
      plain: () => sourceBytes(source),
      image,
      said: [said],
    };
    const fault =
      signature === 'does not match'
        ? 'The signature of the update does not match the certificate that came along: it was changed, or is damaged. Download it again.'
        : incrementalReason(partition);
    if (fault) {
      found.push({ ...one, layers: ['update payload'], fault });
      continue;
    }
    try {
      const inner = await recogniseImage(memorySource(await beginning(image(), headBytes)));
      found.push({ ...one, layers: ['update payload', inner] });
    } catch (error) {
      if (!(error instanceof FormatError)) throw error;
      found.push({ ...one, layers: ['update payload'], fault: `It cannot be read: ${error.message}.` });
    }
  }
  return found;
}
