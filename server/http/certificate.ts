import { createPrivateKey, X509Certificate } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { isIP } from 'node:net';
import { join } from 'node:path';
import { generate } from 'selfsigned';
import { makeFolder, writeDurably } from '../disk/durable.ts';
import { Problem } from '../failures.ts';

/** What a server shows, and its private key; PEM. */
export interface Certificate {
  readonly cert: string;
  readonly key: string;
  /** SHA-256, as browsers show it. */
  readonly fingerprint: string;
  /** Made here: browsers ask once whether it is to be trusted. */
  readonly isOwn: boolean;
}

const dayMs = 24 * 60 * 60_000;
/** Browsers take none that is good for longer. */
const goodForDays = 397;
/** What is good for less is made anew. */
const renewWithinDays = 30;

/**
 * The certificate given, or else one made here, for as long as it is good for these names.
 * @param given files in PEM
 * @throws Problem 422 where what is given cannot be used
 */
export async function certificateOf(
  home: string,
  hosts: readonly string[],
  now: number,
  given?: { readonly certificate: string; readonly key: string },
): Promise<Certificate> {
  if (given) return readCertificate(given.certificate, given.key, now);
  const folder = join(home, 'tls');
  const [certPath, keyPath] = [join(folder, 'certificate.pem'), join(folder, 'key.pem')];
  const [cert, key] = await Promise.all(
    [certPath, keyPath].map((path) => readFile(path, 'utf8').catch(() => '')),
  );
  if (cert && key && isGood(cert, key, hosts, now)) return { cert, key, ...ofOwn(cert) };
  const made = await generate([{ name: 'commonName', value: 'Keen Larder' }], {
    ...{ keyType: 'ec', algorithm: 'sha256' },
    notBeforeDate: new Date(now - dayMs),
    notAfterDate: new Date(now + goodForDays * dayMs),
    extensions: [
      { name: 'basicConstraints', cA: false, critical: true },
      { name: 'keyUsage', digitalSignature: true, critical: true },
      { name: 'extKeyUsage', serverAuth: true },
      {
        name: 'subjectAltName',
        altNames: hosts.map((host) => (isIP(host) ? { type: 7, ip: host } : { type: 2, value: host })),
      },
    ],
  });
  await makeFolder(folder);
  await writeDurably(keyPath, made.private);
  await writeDurably(certPath, made.cert);
  return { cert: made.cert, key: made.private, ...ofOwn(made.cert) };
}

const ofOwn = (cert: string) => ({ fingerprint: new X509Certificate(cert).fingerprint256, isOwn: true });

async function readCertificate(certPath: string, keyPath: string, now: number): Promise<Certificate> {
  const read = (path: string, what: string) =>
    readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
      throw new Problem(422, `The ${what} ${path} cannot be read (${error.code ?? error.message}).`);
    });
  const [cert, key] = [await read(certPath, 'certificate'), await read(keyPath, 'key')];
  let parsed: X509Certificate;
  try {
    parsed = new X509Certificate(cert);
    if (!parsed.checkPrivateKey(createPrivateKey(key)))
      throw new Problem(422, `${keyPath} is not the key of ${certPath}.`);
  } catch (error) {
    if (error instanceof Problem) throw error;
    throw new Problem(
      422,
      `${certPath} and ${keyPath} are not a certificate and its key in PEM without a passphrase.`,
    );
  }
  if (Date.parse(parsed.validTo) <= now)
    throw new Problem(422, `The certificate ${certPath} was good until ${parsed.validTo}. Get a new one.`);
  return { cert, key, fingerprint: parsed.fingerprint256, isOwn: false };
}

function isGood(cert: string, key: string, hosts: readonly string[], now: number): boolean {
  try {
    const parsed = new X509Certificate(cert);
    const covers = (host: string) =>
      (isIP(host) ? parsed.checkIP(host) : parsed.checkHost(host)) !== undefined;
    return (
      Date.parse(parsed.validTo) - now > renewWithinDays * dayMs &&
      hosts.every(covers) &&
      parsed.checkPrivateKey(createPrivateKey(key))
    );
  } catch {
    return false;
  }
}
