import { createHash } from 'node:crypto';
import {
  DeleteObjectCommand,
  GetObjectCommand,
  ListObjectsV2Command,
  PutObjectCommand,
  S3Client,
} from '@aws-sdk/client-s3';
import { NodeHttpHandler } from '@smithy/node-http-handler';
import { BucketFailure } from '../failures.ts';
import type { Bucket, BucketObject } from './bucket.ts';

/** Where a bucket is, and by which key it opens. */
export interface BucketPlace {
  /** `https://…`; the usual one of the region where it is left out. */
  readonly endpoint?: string;
  readonly region: string;
  readonly bucket: string;
  /** Before the name of every object; empty for none. */
  readonly prefix: string;
  readonly accessKeyId: string;
  readonly secretAccessKey: string;
}

// It tells on the terminal of whoever uses this program which Node it will want some day.
process.env['AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED'] ??= 'true';

const tries = 5;
const connectMs = 10_000;
/** A service that takes or sends nothing for so long does not answer. */
const usualSilentMs = 60_000;
const md5Tag = /^"?([0-9a-f]{32})"?$/;

/** A bucket of an S3-compatible service. Objects are put in one piece, with their MD5, which the service checks. */
export class S3Bucket implements Bucket {
  readonly place: string;
  private readonly client: S3Client;

  constructor(
    private readonly of: BucketPlace,
    silentMs = usualSilentMs,
  ) {
    this.place = `the bucket ${of.bucket}${of.endpoint ? ` at ${new URL(of.endpoint).host}` : ''}`;
    this.client = new S3Client({
      region: of.region,
      ...(of.endpoint && { endpoint: of.endpoint, forcePathStyle: true }),
      credentials: { accessKeyId: of.accessKeyId, secretAccessKey: of.secretAccessKey },
      maxAttempts: tries,
      requestHandler: new NodeHttpHandler({ connectionTimeout: connectMs, socketTimeout: silentMs }),
      // Content-MD5 is understood by all such services; newer checksums are not.
      requestChecksumCalculation: 'WHEN_REQUIRED',
      responseChecksumValidation: 'WHEN_REQUIRED',
    });
    // What is signed of a body is its MD5: it is sealed, and digesting it once more takes as long as sending it nearby.
    this.client.middlewareStack.add(
      (next) => (args) => {
        const { headers } = args.request as { readonly headers: Record<string, string> };
        if (headers['content-md5']) headers['x-amz-content-sha256'] = 'UNSIGNED-PAYLOAD';
        return next(args);
      },
      { step: 'build', priority: 'low', name: 'unsignedPayload' },
    );
  }

  async put(name: string, bytes: Uint8Array): Promise<void> {
    const md5 = createHash('md5').update(bytes).digest();
    const { ETag: tag } = await this.ask(`take ${name}`, () =>
      this.client.send(
        new PutObjectCommand({
          ...this.at(name),
          Body: bytes,
          ContentLength: bytes.length,
          ContentMD5: md5.toString('base64'),
        }),
      ),
    );
    const told = md5Tag.exec(tag ?? '')?.[1];
    if (told !== undefined && told !== md5.toString('hex'))
      throw new BucketFailure(
        `${this.place} says that it has another content of ${name} than was sent. It is sent again with the next run.`,
      );
  }

  async get(name: string, range?: { readonly offset: number; readonly bytes: number }): Promise<Buffer> {
    const bytes = await this.ask(`give ${name}`, async () => {
      const { Body: body } = await this.client.send(
        new GetObjectCommand({
          ...this.at(name),
          ...(range && { Range: `bytes=${range.offset}-${range.offset + range.bytes - 1}` }),
        }),
      );
      return Buffer.from(await body!.transformToByteArray());
    });
    if (range && bytes.length !== range.bytes)
      throw new BucketFailure(
        `${this.place} gave ${bytes.length} bytes of ${name} where ${range.bytes} were asked for.`,
      );
    return bytes;
  }

  async *list(prefix: string): AsyncGenerator<BucketObject> {
    for (let token: string | undefined, isFirst = true; isFirst || token; isFirst = false) {
      const page = await this.ask('list what it has', () =>
        this.client.send(
          new ListObjectsV2Command({
            Bucket: this.of.bucket,
            Prefix: this.of.prefix + prefix,
            ContinuationToken: token,
          }),
        ),
      );
      for (const { Key: key, Size: bytes } of page.Contents ?? [])
        if (key !== undefined) yield { name: key.slice(this.of.prefix.length), bytes: bytes ?? 0 };
      token = page.IsTruncated ? page.NextContinuationToken : undefined;
    }
  }

  async remove(name: string): Promise<void> {
    await this.ask(`remove ${name}`, () => this.client.send(new DeleteObjectCommand(this.at(name))));
  }

  close(): void {
    this.client.destroy();
  }

  private at(name: string): { Bucket: string; Key: string } {
    return { Bucket: this.of.bucket, Key: this.of.prefix + name };
  }

  /** @throws BucketFailure */
  private async ask<T>(what: string, request: () => Promise<T>): Promise<T> {
    try {
      return await request();
    } catch (error) {
      throw new BucketFailure(`${this.place} did not ${what}: ${wordsOf(error as Error)}`, { cause: error });
    }
  }
}

/** By the names of errors that such services share (the protocol's own list of error codes), and by those of Node. */
const words: Readonly<Record<string, string>> = {
  ECONNREFUSED: 'nobody answers there. Look whether the address is right and the service runs.',
  ENOTFOUND: 'there is no such computer. Look whether the address is right and the network is there.',
  TimeoutError: 'it neither took nor sent anything for a minute.',
  NoSuchBucket: 'there is no such bucket. Make it, or name another one.',
  NoSuchKey: 'there is no such object.',
  AccessDenied: 'the access key may not do that.',
  InvalidAccessKeyId: 'it does not know the access key.',
  SignatureDoesNotMatch: 'the secret access key is not the right one.',
  RequestTimeTooSkewed: 'the clock of this computer is wrong.',
};

function wordsOf(error: Error & { code?: string }): string {
  return words[error.name] ?? words[error.code ?? ''] ?? error.message;
}
