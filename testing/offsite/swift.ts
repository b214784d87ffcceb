import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { createServer, connect } from 'node:net';
import { join } from 'node:path';
import type { BucketPlace } from '../../server/offsite/s3-bucket.ts';
import { until } from '../until.ts';

const servers = ['account', 'container', 'object'] as const;
const programs = [...servers, 'proxy'].map((kind) => `/usr/bin/swift-${kind}-server`);

/** Why OpenStack Swift cannot be tried here; undefined where it can. Debian's packages: swift-proxy, swift-account, swift-container, swift-object. */
export function whyNoSwift(): string | undefined {
  if (process.getuid?.() !== 0) return 'it needs a mount namespace of its own, and so root';
  const missing = programs.find((path) => !existsSync(path));
  return missing && `${missing} is not installed`;
}

async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as { port: number };
  server.close();
  await once(server, 'close');
  return port;
}

const answers = (port: number) =>
  new Promise<boolean>((resolve) => {
    const socket = connect(port, '127.0.0.1', () => {
      socket.destroy();
      resolve(true);
    });
    socket.on('error', () => resolve(false));
  });

/** Swift on loopback: one copy of everything, with its S3 interface. @param folder for its configuration and its objects */
export async function startSwift(
  folder: string,
): Promise<{ readonly place: BucketPlace; close(): Promise<void> }> {
  const at = (name: string) => join(folder, name);
  mkdirSync(at('devices/one'), { recursive: true });
  const ports = Object.fromEntries(
    await Promise.all([...servers, 'proxy'].map(async (kind) => [kind, await freePort()] as const)),
  ) as Record<(typeof servers)[number] | 'proxy', number>;
  writeFileSync(
    at('swift.conf'),
    '[swift-hash]\nswift_hash_path_suffix = larder\nswift_hash_path_prefix = larder\n[storage-policy:0]\nname = one\ndefault = yes\n',
  );
  const common = (port: number) =>
    `[DEFAULT]\nbind_ip = 127.0.0.1\nbind_port = ${port}\nswift_dir = /etc/swift\nuser = root\nworkers = 1\nlog_address = /dev/null\n`;
  for (const kind of servers) {
    writeFileSync(
      at(`${kind}.conf`),
      `${common(ports[kind])}devices = ${at('devices')}\nmount_check = false\n[pipeline:main]\npipeline = ${kind}-server\n[app:${kind}-server]\nuse = egg:swift#${kind}\n`,
    );
    const ring = (...words: string[]) =>
      execFileSync('/usr/bin/swift-ring-builder', [at(`${kind}.builder`), ...words], { stdio: 'ignore' });
    ring('create', '4', '1', '1');
    ring('add', `r1z1-127.0.0.1:${ports[kind]}/one`, '1');
    ring('rebalance');
  }
  writeFileSync(
    at('proxy.conf'),
    `${common(ports.proxy)}[pipeline:main]
pipeline = catch_errors gatekeeper healthcheck cache listing_formats s3api tempauth copy slo dlo proxy-server
[app:proxy-server]
use = egg:swift#proxy
account_autocreate = true
[filter:catch_errors]
use = egg:swift#catch_errors
[filter:gatekeeper]
use = egg:swift#gatekeeper
[filter:healthcheck]
use = egg:swift#healthcheck
[filter:cache]
use = egg:swift#memcache
memcache_servers = 127.0.0.1:1
[filter:listing_formats]
use = egg:swift#listing_formats
[filter:s3api]
use = egg:swift#s3api
[filter:tempauth]
use = egg:swift#tempauth
user_larder_bench = quinces .admin
[filter:copy]
use = egg:swift#copy
[filter:slo]
use = egg:swift#slo
[filter:dlo]
use = egg:swift#dlo
`,
  );
  // Its configuration is looked for in one place.
  const run = (kind: string): ChildProcess =>
    spawn(
      'unshare',
      [
        ...['-m', 'sh', '-c'],
        'mkdir -p /etc/swift && mount --bind "$1" /etc/swift && exec /usr/bin/python3 "$2" "$3"',
        ...['sh', folder, `/usr/bin/swift-${kind}-server`, at(`${kind}.conf`)],
      ],
      { stdio: 'ignore' },
    );
  const processes = [...servers, 'proxy'].map(run);
  for (const port of Object.values(ports)) await until(`port ${port} of Swift`, () => answers(port));
  const place: BucketPlace = {
    endpoint: `http://127.0.0.1:${ports.proxy}`,
    region: 'us-east-1',
    bucket: 'larder',
    prefix: '',
    accessKeyId: 'larder:bench',
    secretAccessKey: 'quinces',
  };
  return {
    place,
    async close() {
      for (const process of processes) {
        process.kill('SIGTERM');
        if (process.exitCode === null && process.signalCode === null) await once(process, 'close');
      }
    },
  };
}
