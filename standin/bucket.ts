import { mkdir } from 'node:fs/promises';
import S3rver from 's3rver';

/** A simulated S3-compatible service with one bucket, on this computer alone. */
export interface StandInBucket {
  /** Where it is, and by which key it opens. */
  readonly place: {
    readonly endpoint: string;
    readonly region: string;
    readonly bucket: string;
    readonly prefix: string;
    readonly accessKeyId: string;
    readonly secretAccessKey: string;
  };
  close(): Promise<void>;
}

const name = 'larder';
/** The only key that the service knows. */
const key = 'S3RVER';

/** @param folder where its objects lie */
export async function startBucket(folder: string, port = 0): Promise<StandInBucket> {
  await mkdir(folder, { recursive: true });
  const service = new S3rver({
    address: '127.0.0.1',
    port,
    silent: true,
    directory: folder,
    vhostBuckets: false,
    configureBuckets: [{ name, configs: [] }],
  });
  const listening = await service.run();
  return {
    place: {
      endpoint: `http://127.0.0.1:${listening.port}`,
      region: 'us-east-1',
      bucket: name,
      prefix: '',
      accessKeyId: key,
      secretAccessKey: key,
    },
    close: () => service.close(),
  };
}
