import { contentDigest, digestOf } from '../flash/content-digests.ts';
import type { Socket } from 'node:net';
import {
  loaderHeaderBytes,
  LoaderParser,
  maxLoaderPayload,
  operations,
  statuses,
  stretch,
  type LoaderHello,
  type LoaderMessage,
} from '@keen-larder/core/protocols/loader/loader-messages.ts';
import { readAscii } from '@keen-larder/core/bytes/text.ts';
import { IoError } from '../flash/faults.ts';
import type { Device, Flash } from '../flash/flash.ts';
import type { Cable } from '../phone/cable.ts';
import { drained } from '../phone/drained.ts';

/** What the processor's loader sees of the phone. */
export interface LoaderHost {
  readonly serial: string;
  readonly chip: string;
  readonly flash: Flash;
  battery(): { readonly percent: number; readonly charging: boolean };
  reboot(into: string): void;
}

class Refusal extends Error {
  constructor(readonly status: number) {
    super(`status ${status}`);
  }
}

/** The phone's end of one loader connection; see docs/loader-protocol.md. */
export class LoaderConnection {
  private readonly parser = new LoaderParser();

  constructor(
    readonly socket: Socket,
    private readonly host: LoaderHost,
    private readonly cable: Cable,
  ) {
    socket.setNoDelay(true);
    socket.on('data', (bytes) => void this.receive(bytes));
    socket.on('error', () => socket.destroy());
  }

  private async receive(bytes: Buffer): Promise<void> {
    this.socket.pause();
    try {
      await this.cable.carry(bytes.length);
      for (const message of this.parser.push(bytes)) await this.answer(message);
      this.socket.resume();
    } catch {
      this.socket.destroy();
    }
  }

  private async answer({ operation, payload }: LoaderMessage): Promise<void> {
    try {
      await this.send(operation, statuses.well, await this.do(operation, payload));
    } catch (error) {
      if (error instanceof IoError) return this.send(operation, statuses.flashFault, new Uint8Array());
      if (!(error instanceof Refusal)) throw error;
      await this.send(operation, error.status, new Uint8Array());
    }
  }

  private async do(operation: number, payload: Uint8Array): Promise<Uint8Array> {
    switch (operation) {
      case operations.hello:
        return Buffer.from(JSON.stringify(this.hello()));
      case operations.battery:
        return Buffer.from(JSON.stringify(this.host.battery()));
      case operations.read:
        for await (const piece of this.pieces(payload)) {
          await this.send(operations.data, statuses.well, this.host.flash.faults.onCable(piece));
        }
        return new Uint8Array();
      case operations.digest: {
        const pieces = () => this.pieces(payload);
        const isSound = this.host.flash.faults.names.length === 0;
        const digest = isSound ? contentDigest(pieces, 'sha256') : digestOf(pieces(), 'sha256');
        return Buffer.from(await digest, 'hex');
      }
      case operations.write:
        await this.write(payload);
        return new Uint8Array();
      case operations.restart:
        this.host.reboot(readAscii(payload));
        return new Uint8Array();
      default:
        throw new Refusal(statuses.unknownOperation);
    }
  }

  private async write(payload: Uint8Array): Promise<void> {
    if (payload.length < stretch.bytes) throw new Refusal(statuses.badRequest);
    const { region, offset, bytes } = stretch.read(payload, 0);
    if (Number(bytes) !== payload.length - stretch.bytes) throw new Refusal(statuses.badRequest);
    const device = this.region(region);
    if (!device || offset + bytes > BigInt(device.bytes)) throw new Refusal(statuses.outOfRange);
    const sent = this.host.flash.faults.onCable(payload.subarray(stretch.bytes));
    try {
      await device.write(Number(offset), sent);
    } catch (error) {
      throw error instanceof IoError ? new Refusal(statuses.cannotWrite) : error;
    }
  }

  private hello(): LoaderHello {
    const { flash, chip, serial } = this.host;
    const { sectorBytes, earlyLoader } = flash;
    return {
      chip,
      serial,
      regions: [
        { name: 'user', bytes: flash.bytes, sectorBytes },
        ...(earlyLoader ? [{ name: 'boot0', bytes: earlyLoader.bytes, sectorBytes }] : []),
      ],
    };
  }

  /** The bytes of the stretches that a request names. */
  private async *pieces(payload: Uint8Array): AsyncGenerator<Uint8Array> {
    if (payload.length === 0 || payload.length % stretch.bytes !== 0) throw new Refusal(statuses.badRequest);
    for (let i = 0; i < payload.length; i += stretch.bytes) {
      const { region, offset, bytes } = stretch.read(payload, i);
      const device = this.region(region);
      if (!device || offset + bytes > BigInt(device.bytes)) throw new Refusal(statuses.outOfRange);
      for (let done = 0; done < Number(bytes); done += maxLoaderPayload) {
        yield await device.read(Number(offset) + done, Math.min(maxLoaderPayload, Number(bytes) - done));
      }
    }
  }

  private region(name: string): Device | undefined {
    return name === 'user' ? this.host.flash : name === 'boot0' ? this.host.flash.earlyLoader : undefined;
  }

  private async send(operation: number, status: number, payload: Uint8Array): Promise<void> {
    const header = loaderHeaderBytes(operation, status, payload.length);
    await this.cable.carry(header.length + payload.length);
    if (this.socket.destroyed) throw new Error('the link is gone');
    this.socket.cork();
    this.socket.write(header);
    const flushed = this.socket.write(payload);
    this.socket.uncork();
    if (!flushed) await drained(this.socket);
  }
}
