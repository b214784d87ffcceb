import { request } from 'node:http';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ProblemDetails } from '@keen-larder/contract/problem.ts';
import { serial, serveOn, startKnot3, testFolder, toRecovery, until } from '../../testing/bench.ts';
import type { Serving } from '../serve.ts';

const folder = testFolder();
let bench: Awaited<ReturnType<typeof startKnot3>>;
let serving: Serving;
beforeAll(async () => {
  bench = await startKnot3(join(folder.path, 'phones'));
  serving = await serveOn(join(folder.path, 'larder'), bench);
  await toRecovery(serving.app, bench.phone);
});
afterAll(async () => {
  await serving.close();
  await bench.close();
  folder.remove();
});

interface Answer {
  status: number;
  headers: Record<string, unknown>;
  text: string;
}

/**
 * A request with any header, also those that fetch does not let one set. Each has a connection of its own:
 * one kept open may be ended by the server while the test waits for something else.
 */
function ask(
  method: string,
  path: string,
  headers: Record<string, string> = {},
  body?: string,
): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const asked = request(`${serving.url}${path}`, { method, headers, agent: false }, (answer) => {
      let text = '';
      answer.on('data', (part) => (text += String(part)));
      answer.on('end', () => resolve({ status: answer.statusCode!, headers: answer.headers, text }));
    });
    asked.on('error', reject);
    asked.end(body);
  });
}

const json = { 'content-type': 'application/json' };
const problem = ({ text }: Answer) => JSON.parse(text) as ProblemDetails;

describe('security', () => {
  it('refuses names that merely resolve to this computer', async () => {
    const answer = await ask('GET', '/api/phones', { host: 'evil.example:80' });
    expect(answer.status).toBe(403);
    expect(answer.headers['content-type']).toMatch('application/problem+json');
  });

  it.each([
    [{ origin: 'http://evil.example' }, 403],
    [{ 'sec-fetch-site': 'cross-site' }, 403],
    [{ 'sec-fetch-site': 'same-origin' }, 200],
    [{}, 200],
  ])('changes asked for with %o answer %i', async (headers, status) => {
    const answer = await ask(
      'PATCH',
      `/api/phones/${serial}`,
      { ...json, ...headers },
      '{"nickname":"Ringing hut"}',
    );
    expect(answer.status).toBe(status);
  });

  it('sends a strict policy: no inline script, nothing from elsewhere', async () => {
    const { headers } = await ask('GET', '/bench');
    expect(headers['content-security-policy']).toMatch(/default-src 'self';script-src 'self'/);
    expect(headers['content-security-policy']).toMatch(/frame-ancestors 'none'/);
    expect(headers['x-content-type-options']).toBe('nosniff');
    expect(headers).not.toHaveProperty('x-powered-by');
  });

  it('limits bodies', async () => {
    const answer = await ask(
      'PATCH',
      `/api/phones/${serial}`,
      json,
      JSON.stringify({ nickname: 'x'.repeat(300_000) }),
    );
    expect(answer.status).toBe(413);
  });

  it('does not lead out of the folder of the interface', async () => {
    const { text } = await ask('GET', '/..%2f..%2f..%2fetc%2fpasswd');
    expect(text).not.toMatch('root:');
  });
});

describe('bad requests', () => {
  it.each([
    ['POST', `/api/phones/${serial}/imaging`, '{"picked":["../boot"],"label":"x","confirmed":[]}', 400],
    ['POST', `/api/phones/${serial}/imaging`, '{"picked":["boot","boot"],"label":"x","confirmed":[]}', 400],
    ['POST', `/api/phones/${serial}/imaging`, '[]', 400],
    ['POST', `/api/phones/${serial}/imaging`, '{', 400],
    ['POST', `/api/phones/${serial}/restart`, '{"into":"somewhere"}', 400],
    ['PATCH', `/api/phones/${serial}`, '{"nickname":""}', 400],
    ['GET', '/api/phones/NOBODY', undefined, 404],
    ['GET', '/api/phones/NOBODY/partitions', undefined, 404],
    ['GET', '/api/sets/none', undefined, 404],
    ['GET', '/api/sets/none/images/boot/raw', undefined, 404],
    ['GET', '/api/runs/none', undefined, 404],
    ['GET', '/api/nothing', undefined, 404],
  ])('%s %s with %s answers as RFC 9457 asks', async (method, path, body, status) => {
    const answer = await ask(method, path, body ? json : {}, body);
    expect(answer.status).toBe(status);
    expect(answer.headers['content-type']).toMatch('application/problem+json');
    expect(problem(answer)).toMatchObject({ status, type: 'about:blank' });
    expect(problem(answer).detail.length).toBeGreaterThan(5);
  });

  it('names the checks that stand in the way of a run', async () => {
    const answer = await ask(
      'POST',
      `/api/phones/${serial}/imaging`,
      json,
      '{"picked":["boot"],"label":"","confirmed":[]}',
    );
    expect(answer.status).toBe(422);
    expect(problem(answer).obstacles?.map(({ id }) => id)).toContain('name-taken');
  });
});

describe('events', () => {
  /** Reads the stream until its text holds what is looked for. */
  async function events(wanted: RegExp, headers: Record<string, string> = {}): Promise<string> {
    const controller = new AbortController();
    const answer = await fetch(`${serving.url}/api/events`, { headers, signal: controller.signal });
    let text = '';
    for await (const part of answer.body!) {
      text += Buffer.from(part).toString();
      if (wanted.test(text)) break;
    }
    controller.abort();
    return text;
  }

  it('begin with a hello, and catch up from the last id seen', async () => {
    const first = await events(/event: hello/);
    const id = Number(/id: (\d+)\nevent: hello/.exec(first)![1]);
    await ask('PATCH', `/api/phones/${serial}`, json, '{"nickname":"North hide"}');
    const caughtUp = await events(/North hide/, { 'last-event-id': String(id) });
    expect(caughtUp).not.toMatch(/event: hello/);
    expect(caughtUp).toMatch(/event: phone\ndata: .*North hide/);
    expect(await events(/event: hello/, { 'last-event-id': '17' })).toMatch(/event: hello/);
  });

  it('begin at once for one that missed nothing: until then a browser takes the line for dead', async () => {
    const id = serving.app.feed.lastId;
    expect(await events(/retry: 1000/, { 'last-event-id': String(id) })).not.toMatch(/event: hello/);
  });
});

describe('the practice bench over HTTP', () => {
  it('shows the simulated phones and passes on what hands do', async () => {
    const shown = JSON.parse((await ask('GET', '/api/practice')).text) as {
      phones: { serial: string; cable: boolean }[];
      brokenBuilds: { id: string }[];
    };
    expect(shown.phones).toMatchObject([{ serial, cable: true }]);
    expect(shown.brokenBuilds.map(({ id }) => id)).toContain('half-firmware');
    const before = bench.phone.state().battery;
    const acted = await ask(
      'POST',
      `/api/practice/${serial}`,
      json,
      '{"do":"battery","percent":41,"chargesOnCable":false}',
    );
    expect(JSON.parse(acted.text)).toMatchObject({ battery: { percent: 41, charging: false } });
    bench.phone.setBattery(before.percent, true);
  });

  it.each([
    [`/api/practice/${serial}`, '{"do":"break","build":"no-such-build"}', 400],
    [`/api/practice/${serial}`, '{"do":"keys","into":"loader"}', 400],
    ['/api/practice/NOBODY', '{"do":"use"}', 404],
  ])('answers %s with %s by %i', async (path, body, status) => {
    expect(await ask('POST', path, json, body)).toMatchObject({ status });
  });

  it('is answered by the phones’ controls only to programs of this computer', async () => {
    for (const headers of [{ host: 'evil.example' }, { origin: 'http://127.0.0.1:1' }] as const) {
      const status = await new Promise((resolve) => {
        request(`${bench.controlUrl}/phones`, { headers }, (answer) => resolve(answer.statusCode)).end();
      });
      expect(status).toBe(403);
    }
  });
});

describe('a set over HTTP', () => {
  it('is imaged, renamed, downloaded whole and image by image, binned and taken back', async () => {
    const started = await ask(
      'POST',
      `/api/phones/${serial}/imaging`,
      json,
      JSON.stringify({ picked: ['misc', 'logo'], label: 'small', confirmed: ['identity-left-out'] }),
    );
    expect(started.status).toBe(202);
    const { id: runId } = JSON.parse(started.text) as { id: string };
    await until('the run', async () => {
      const { text } = await ask('GET', `/api/runs/${runId}`);
      return (JSON.parse(text) as { state: string }).state === 'done';
    });
    const [set] = JSON.parse((await ask('GET', '/api/sets')).text) as { id: string }[];
    const renamed = await ask(
      'PATCH',
      `/api/sets/${set!.id}`,
      json,
      '{"label":"small one","note":"kept for luck"}',
    );
    expect(JSON.parse(renamed.text)).toMatchObject({ label: 'small one', note: 'kept for luck' });

    const raw = Buffer.from(
      await (await fetch(`${serving.url}/api/sets/${set!.id}/images/logo/raw`)).arrayBuffer(),
    );
    const device = bench.phone.flash.partition('logo')!;
    expect(raw.equals(await device.read(0, device.bytes))).toBe(true);

    const tar = Buffer.from(
      await (await fetch(`${serving.url}/api/sets/${set!.id}/export?form=raw&packing=none`)).arrayBuffer(),
    );
    const { execFileSync } = await import('node:child_process');
    const { writeFileSync } = await import('node:fs');
    const path = join(folder.path, 'set.tar');
    writeFileSync(path, tar);
    // GNU tar unpacks it, sha256sum and md5sum accept it.
    execFileSync('tar', ['-xf', path, '-C', folder.path]);
    for (const [tool, sums] of [
      ['sha256sum', 'SHA256SUMS'],
      ['md5sum', 'MD5SUMS'],
    ] as const) {
      expect(
        execFileSync(tool, ['-c', sums], { cwd: join(folder.path, 'small one'), encoding: 'utf8' }),
      ).toMatch(/misc.img: OK\nlogo.img: OK/);
    }

    // Sealed, it opens with the identity of the recipient alone, by the age tool; its address is good once.
    const identity = join(folder.path, 'identity.txt');
    execFileSync('age-keygen', ['-o', identity], { stdio: 'ignore' });
    const recipient = execFileSync('age-keygen', ['-y', identity], { encoding: 'utf8' }).trim();
    const wanted = JSON.stringify({ form: 'raw', packing: 'none', recipients: [recipient] });
    const asked = await ask('POST', `/api/sets/${set!.id}/sealed-downloads`, json, wanted);
    const address = `/api/sets/${set!.id}/sealed-downloads/${(JSON.parse(asked.text) as { ticket: string }).ticket}`;
    const sealed = await fetch(`${serving.url}${address}`);
    expect(sealed.headers.get('content-disposition')).toContain('small one.tar.age');
    const opened = execFileSync('age', ['-d', '-i', identity], {
      input: Buffer.from(await sealed.arrayBuffer()),
      maxBuffer: 1 << 28,
    });
    expect(opened.equals(tar)).toBe(true);
    expect((await ask('GET', address)).status).toBe(410);
    const unsealed = JSON.stringify({ form: 'raw', packing: 'none' });
    expect((await ask('POST', `/api/sets/${set!.id}/sealed-downloads`, json, unsealed)).status).toBe(422);

    await ask('PATCH', `/api/sets/${set!.id}`, json, '{"binned":true}');
    expect((await ask('GET', '/api/sets')).text).toMatch(/"binnedAt":\d+/);
    await ask('PATCH', `/api/sets/${set!.id}`, json, '{"binned":false}');
    expect((await ask('GET', '/api/sets')).text).not.toMatch(/"binnedAt":\d+/);
  });
});

describe('files of a job card', () => {
  it('are saved, whatever they say they are; pictures alone are shown, and showing them is no download', async () => {
    const { app } = serving;
    const { id } = app.jobs.open({
      ...{ who: 'Ringing hut', contact: '', complaint: '', arrival: '', accessories: '', serials: [serial] },
      agreed: { keepFirst: true, mayLose: false, mayLook: false },
    });
    const add = (name: string, body: string) =>
      ask('POST', `/api/jobs/${id}/files?name=${name}`, { 'content-type': 'text/html' }, body);
    expect((await add('page.html', '<script>alert(1)</script>')).status).toBe(201);
    expect((await add('drawing.gif', 'GIF89a')).status).toBe(201);
    expect((await add('empty', '')).status).toBe(422);
    expect((await add('', 'x')).status).toBe(400);
    expect((await add('huge', 'x'.repeat((24 << 20) + 1))).status).toBe(413);
    const [page, drawing] = app.jobs.detail(id).files;
    const lines = () => [...app.record.lines()].length;
    const before = lines();
    const shown = await ask('GET', `/api/jobs/${id}/pictures/${drawing!.id}`);
    expect(shown).toMatchObject({ status: 200, text: 'GIF89a' });
    expect(shown.headers).toMatchObject({ 'content-type': 'image/gif', 'x-content-type-options': 'nosniff' });
    expect((await ask('GET', `/api/jobs/${id}/pictures/${page!.id}`)).status).toBe(404);
    expect(lines()).toBe(before);
    const saved = await ask('GET', `/api/jobs/${id}/files/${page!.id}`);
    expect(saved.headers).toMatchObject({
      'content-type': 'application/octet-stream',
      'content-disposition': 'attachment; filename=page.html',
    });
    expect(lines()).toBe(before + 1);
  });
});

describe('what pre-installed apps are for', () => {
  const put = (purposes: unknown) => ask('PUT', '/api/purposes', json, JSON.stringify({ purposes }));
  const list = async () => JSON.parse((await ask('GET', '/api/purposes')).text) as { pattern: string }[];

  it('begins with what comes along, and is replaced as a whole', async () => {
    const before = await list();
    expect(before.map(({ pattern }) => pattern)).toContain('com.android.printspooler');
    const [one] = before;
    expect((await put([{ ...one, pattern: 'example.own.*' }])).status).toBe(200);
    expect(await list()).toEqual([{ ...one, pattern: 'example.own.*' }]);
    expect((await put(before)).status).toBe(200);
  });

  it.each([
    ['a pattern that is none', { pattern: '*.home' }, /each pattern must be a package/],
    ['no kind', { kind: '' }, /kind/],
    ['another certainty', { certainty: 'sure' }, /certainty/],
  ])('is refused with %s', async (_what, over, words) => {
    const [one] = await list();
    const answer = await put([{ ...one, ...over }]);
    expect(answer.status).toBe(400);
    expect(problem(answer).detail).toMatch(words);
  });

  it('is refused with one package twice', async () => {
    const [one] = await list();
    expect(problem(await put([one, one])).detail).toMatch(/is in the list twice\. Leave one of them out/);
  });
});
