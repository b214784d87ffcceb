import { createWriteStream } from 'node:fs';
import { mkdtemp, open, rm } from 'node:fs/promises';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { ByteSource } from '@keen-larder/core/bytes/source.ts';
import { installBuild } from '../flash/compose.ts';
import { goodBuilds } from '../scenario/good-builds.ts';
import { firmwareBuilds } from '../firmware/builds.ts';
import { faultKinds } from '../flash/faults.ts';
import type { PracticeAction } from '@keen-larder/contract/requests/practice.ts';
import type { Phone } from '../phone/phone.ts';
import { brokenBuilds, modelNamesOf } from '../scenario/broken-builds.ts';
import { putOtherUsers } from '../scenario/other-users.ts';
import { putTwoDozenApps } from '../scenario/two-dozen.ts';
import { useForADay } from '../scenario/daily-use.ts';

class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

const mostDays = 31;
const maxBodyBytes = 4096;

/**
 * The practice bench's controls over HTTP on loopback: `GET /phones`, `POST /phones/SERIAL`, and `POST /phones/SERIAL/package`
 * with the bytes of a package that its recovery is to install.
 */
export function controlServer(phones: readonly Phone[]): Server {
  let day = 1;
  const act = async (phone: Phone, action: PracticeAction): Promise<void> => {
    switch (action.do) {
      case 'cable':
        return phone.setCable(Boolean(action.in));
      case 'pull-after':
        return phone.pullCableAfter(Number(action.bytes));
      case 'power':
        return phone.setPower(Boolean(action.on));
      case 'keys':
        if (!phone.state().modes.includes(action.into)) break;
        return void phone.start(action.into);
      case 'battery':
        if (!Number.isFinite(action.percent)) break;
        return phone.setBattery(action.percent, Boolean(action.chargesOnCable));
      case 'break': {
        const build = brokenBuilds.find(({ id }) => id === action.build);
        if (!build?.fits(phone.model)) break;
        phone.setPower(false);
        await build.apply(phone.flash, phone.model);
        return phone.setPower(true);
      }
      case 'install': {
        const build = goodBuilds.find(({ id }) => id === action.build);
        if (!build || firmwareBuilds[build.id].product !== phone.model.product) break;
        phone.setPower(false);
        await installBuild(phone.flash, build.id);
        return phone.setPower(true);
      }
      case 'use':
        for (let left = Math.min(Number(action.days ?? 1), mostDays); left > 0; left--)
          await phone.changeUserData((userData) => useForADay(phone.flash, day++, userData));
        return;
      case 'fill':
        return phone.changeUserData(putTwoDozenApps);
      case 'share':
        return phone.changeUserData(putOtherUsers);
      case 'reset':
        return phone.reset();
      case 'fault': {
        const kind = faultKinds.find((each) => each === action.fault);
        if (action.fault === 'stall') return phone.stallAfter(1);
        if (!kind) break;
        return void phone.breakDown(kind, Number(action.seed) || day, action.partition);
      }
      case 'allow':
      case 'refuse':
        return phone.answerAsking(action.do === 'allow', action.do === 'allow' ? action.password : undefined);
      case 'hold':
        return phone.hold();
      case 'mend':
        return phone.mendAll();
    }
    throw new Refusal(400, 'This control does not exist.');
  };

  const answer = async (request: IncomingMessage): Promise<unknown> => {
    if (!/^(127\.0\.0\.1|localhost)(:\d+)?$/.test(request.headers.host ?? '') || request.headers.origin) {
      throw new Refusal(403, 'Only programs on this computer may ask.');
    }
    const path = (request.url ?? '').split('/').filter(Boolean).map(decodeURIComponent);
    if (request.method === 'GET' && path.join('/') === 'phones') {
      return {
        phones: phones.map((phone) => phone.state()),
        goodBuilds,
        brokenBuilds: brokenBuilds.map((build) => ({
          id: build.id,
          title: build.title,
          sentence: build.sentence,
          models: modelNamesOf(build),
        })),
      };
    }
    const phone = phones.find(({ identity }) => path[0] === 'phones' && identity.serial === path[1]);
    if (request.method !== 'POST' || !phone) throw new Refusal(404, 'There is no such phone.');
    if (path[2] === 'package') await withSpooled(request, (archive) => phone.installPackage(archive));
    else await act(phone, await readAction(request));
    return phone.state();
  };

  return createServer((request, response) => {
    const send = (status: number, body: unknown) => {
      response.writeHead(status, { 'content-type': 'application/json' });
      response.end(JSON.stringify(body));
    };
    answer(request).then(
      (body) => send(200, body),
      (error: unknown) =>
        error instanceof Refusal
          ? send(error.status, { detail: error.message })
          : send(500, { detail: (error as Error).message }),
    );
  });
}

/** Puts a body aside while it is worked with. */
async function withSpooled(
  request: IncomingMessage,
  work: (bytes: ByteSource) => Promise<void>,
): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), 'keen-larder-package-'));
  try {
    const path = join(folder, 'package.zip');
    await pipeline(request, createWriteStream(path));
    const file = await open(path);
    try {
      const { size } = await file.stat();
      await work({
        bytes: size,
        async read(offset, length) {
          const into = new Uint8Array(length);
          return into.subarray(0, (await file.read(into, 0, length, offset)).bytesRead);
        },
      });
    } catch (error) {
      throw new Refusal(409, (error as Error).message);
    } finally {
      await file.close();
    }
  } finally {
    await rm(folder, { recursive: true });
  }
}

async function readAction(request: IncomingMessage): Promise<PracticeAction> {
  let text = '';
  for await (const part of request) {
    text += String(part);
    if (text.length > maxBodyBytes) throw new Refusal(413, 'The request is too long.');
  }
  try {
    return JSON.parse(text) as PracticeAction;
  } catch {
    throw new Refusal(400, 'The request is not JSON.');
  }
}
