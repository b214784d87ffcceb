// The bucket client against services that nobody here wrote: the package s3rver, which is also the demo's stand-in, and OpenStack
// Swift with its S3 interface, from Debian's packages, where those are installed.
import { createHash, randomBytes } from 'node:crypto';
import { createServer } from 'node:http';
import { once } from 'node:events';
import { CreateBucketCommand, S3Client } from '@aws-sdk/client-s3';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startBucket } from '../../standin/bucket.ts';
import { isLong } from '../../testing/effort.ts';
import { testFolder } from '../../testing/folder.ts';
import { OffsiteBench } from '../../testing/offsite/offsite-bench.ts';
import { startSwift, whyNoSwift } from '../../testing/offsite/swift.ts';
import { BucketFailure } from '../failures.ts';
import { ShelfWorkers } from '../shelf/threads/workers.ts';
import { S3Bucket, type BucketPlace } from './s3-bucket.ts';

const folder = testFolder();
const workers = new ShelfWorkers();
afterAll(async () => {
  await workers.close();
  folder.remove();
});

const services: readonly [
  string,
  string | undefined,
  () => Promise<{ place: BucketPlace; close(): Promise<void> }>,
][] = [
  [
    's3rver',
    undefined,
    async () => {
      const { place, close } = await startBucket(`${folder.path}/s3rver`);
      return { place: { ...place, prefix: 'shop/one/' }, close };
    },
  ],
  [
    'Swift',
    isLong ? whyNoSwift() : 'it is tried with `npm run kills`',
    async () => {
      const swift = await startSwift(`${folder.path}/swift`);
      const { endpoint, region, accessKeyId, secretAccessKey, bucket } = swift.place;
      const client = new S3Client({
        ...{ endpoint: endpoint!, region, forcePathStyle: true },
        credentials: { accessKeyId, secretAccessKey },
      });
      await client.send(new CreateBucketCommand({ Bucket: bucket }));
      client.destroy();
      return swift;
    },
  ],
];

describe.each(services)('%s', (name, missing, start) => {
  const there = it.skipIf(missing !== undefined);
  let service: Awaited<ReturnType<typeof start>>;
  let bucket: S3Bucket;
  beforeAll(async () => {
    if (missing !== undefined) return;
    service = await start();
    bucket = new S3Bucket(service.place);
  });
  afterAll(async () => {
    bucket?.close();
    await service?.close();
  });

  there('keeps objects, gives parts of them, lists and removes them', async () => {
    const bytes = randomBytes(9 << 20);
    await bucket.put('packs/a b+c', bytes);
    for (let i = 0; i < 12; i++) await bucket.put(`claims/${i}/x`, new Uint8Array());
    const whole = await bucket.get('packs/a b+c');
    expect(createHash('sha256').update(whole).digest()).toEqual(createHash('sha256').update(bytes).digest());
    const part = await bucket.get('packs/a b+c', { offset: 5_000_000, bytes: 70_000 });
    expect(part.equals(bytes.subarray(5_000_000, 5_070_000))).toBe(true);
    const listed = async (prefix: string) => {
      const names: string[] = [];
      for await (const each of bucket.list(prefix)) names.push(`${each.name} ${each.bytes}`);
      return names.sort();
    };
    expect(await listed('packs/')).toEqual([`packs/a b+c ${9 << 20}`]);
    expect(await listed('claims/')).toHaveLength(12);
    await bucket.remove('packs/a b+c');
    await bucket.remove('packs/a b+c');
    expect(await listed('packs/')).toEqual([]);
    await expect(bucket.get('packs/a b+c')).rejects.toThrow(/no such object/);
    for (let i = 0; i < 12; i++) await bucket.remove(`claims/${i}/x`);
  });

  there('has a larder that is brought back from it alone', async () => {
    const made = async (name: string) => new OffsiteBench(new S3Bucket(service.place), name, workers).begin();
    const [bench, other] = [await made('Front bench'), await made('Restored')];
    try {
      await bench.setUp();
      await bench.bench.keep(bench.open, 'First', {
        boot: randomBytes(3 << 20),
        misc: Buffer.alloc(1 << 20),
      });
      await bench.sync();
      await other.offsite.takeOver(other.request);
      await other.fetchAll();
      const [kept, found] = [await bench.contents(), await other.contents()];
      expect([...found.keys()].sort()).toEqual(['First boot', 'First misc']);
      for (const [name, bytes] of kept) expect(found.get(name)!.equals(bytes)).toBe(true);
    } finally {
      await bench.close();
      await other.close();
    }
  });

  there('says in words what is wrong', async () => {
    // s3rver takes any secret.
    const isKeyAlone = name === 's3rver';
    const wrongKey = new S3Bucket({
      ...service.place,
      ...(isKeyAlone ? { accessKeyId: 'nobody' } : { secretAccessKey: 'not this one' }),
    });
    await expect(wrongKey.put('x', Buffer.from('x'))).rejects.toThrow(
      isKeyAlone ? /does not know the access key/ : /secret access key is not the right one/,
    );
    const wrongBucket = new S3Bucket({ ...service.place, bucket: 'not-there' });
    await expect(wrongBucket.put('x', Buffer.from('x'))).rejects.toThrow(/no such bucket/);
  });
});

it('a service that takes something else than it was sent is not believed, nor one that nobody runs', async () => {
  const server = createServer((request, response) => {
    request.resume().on('end', () => response.setHeader('etag', `"${'0'.repeat(32)}"`).end());
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as { port: number };
  const place: BucketPlace = {
    ...{ endpoint: `http://127.0.0.1:${port}`, region: 'here', bucket: 'larder', prefix: '' },
    ...{ accessKeyId: 'a', secretAccessKey: 'b' },
  };
  const liar = new S3Bucket(place);
  await expect(liar.put('packs/a', Buffer.from('x'))).rejects.toThrow(
    /another content of packs\/a than was sent/,
  );
  liar.close();
  server.close();
  server.closeAllConnections();
  await once(server, 'close');
  const silent = createServer(() => undefined).listen(port, '127.0.0.1');
  await once(silent, 'listening');
  await expect(new S3Bucket(place, 200).put('x', Buffer.from('x'))).rejects.toThrow(
    /neither took nor sent anything/,
  );
  silent.close();
  silent.closeAllConnections();
  await once(silent, 'close');
  const nobody = await new S3Bucket(place).put('x', Buffer.from('x')).catch((error: unknown) => error);
  expect(nobody).toBeInstanceOf(BucketFailure);
  expect((nobody as Error).message).toMatch(/nobody answers there/);
});
