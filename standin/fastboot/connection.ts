import type { Socket } from 'node:net';
import {
  answerBytes,
  handshake,
  maxCommandBytes,
  MessageParser,
  messageLength,
  type FastbootAnswer,
} from '@keen-larder/core/protocols/fastboot/fastboot-messages.ts';
import { bootControlOf } from '@keen-larder/core/boot/boot.ts';
import { FormatError } from '@keen-larder/core/bytes/format-error.ts';
import { memorySource } from '@keen-larder/core/bytes/source.ts';
import {
  readSparse,
  sparseMagic,
  sparsePieces,
} from '@keen-larder/core/formats/android-sparse/android-sparse.ts';
import { isLocked } from '../boot/start.ts';
import { IoError } from '../flash/faults.ts';
import type { Device } from '../flash/flash.ts';
import type { Cable } from '../phone/cable.ts';
import { maxDownloadBytes, variableNames, variableOf, type BootloaderHost } from './variables.ts';

/** The phone's end of one fastboot connection (AOSP system/core/fastboot, README). */
export class FastbootConnection {
  private readonly parser = new MessageParser(maxDownloadBytes);
  /** What was announced and is still coming. */
  private incoming: { readonly bytes: Uint8Array; had: number } | undefined;
  private downloaded: Uint8Array | undefined;

  constructor(
    readonly socket: Socket,
    private readonly host: BootloaderHost,
    private readonly cable: Cable,
  ) {
    socket.setNoDelay(true);
    socket.write(handshake);
    socket.on('data', (bytes) => void this.receive(bytes));
    socket.on('error', () => socket.destroy());
  }

  private async receive(bytes: Buffer): Promise<void> {
    this.socket.pause();
    try {
      await this.cable.carry(bytes.length);
      for (const message of this.parser.push(bytes)) {
        if (this.incoming) await this.take(message);
        else if (message.length > maxCommandBytes) throw new Error('no command is so long');
        else await this.answer(Buffer.from(message).toString('latin1'));
      }
      this.socket.resume();
    } catch {
      this.socket.destroy();
    }
  }

  private async answer(command: string): Promise<void> {
    const [verb, ...rest] = command.split(':');
    const argument = rest.join(':');
    switch (verb) {
      case 'getvar': {
        if (argument === 'all') {
          for (const name of variableNames(this.host)) {
            await this.send('INFO', `${name}: ${(await variableOf(this.host, name)) ?? ''}`);
          }
          return this.send('OKAY', '');
        }
        const value = await variableOf(this.host, argument);
        return value === undefined ? this.send('FAIL', 'unknown variable') : this.send('OKAY', value);
      }
      case 'reboot':
      case 'reboot-bootloader':
      case 'reboot-recovery':
      case 'continue': {
        await this.send('OKAY', '');
        return this.host.reboot(verb === 'reboot' ? argument : verb.replace('reboot-', ''));
      }
      case 'download': {
        const bytes = /^[0-9a-f]{8}$/i.test(argument) ? parseInt(argument, 16) : NaN;
        if (!(bytes > 0 && bytes <= maxDownloadBytes)) return this.send('FAIL', 'data too large');
        this.downloaded = undefined;
        this.incoming = { bytes: new Uint8Array(bytes), had: 0 };
        return this.send('DATA', argument);
      }
      case 'flash':
        return this.write(argument, (device) => this.flash(device));
      case 'erase':
        return this.write(argument, erase);
      case 'set_active': {
        const misc = this.host.flash.partition('misc');
        const slot = argument.replace(/^_/, '');
        if (!this.host.model.slots || !misc) return this.send('FAIL', 'this phone has no slots');
        if (slot !== 'a' && slot !== 'b') return this.send('FAIL', 'no such slot');
        const { offset, bytes } = bootControlOf(slot);
        return this.write('misc', () => misc.write(offset, bytes));
      }
      case 'flashing get_unlock_ability':
        await this.send('INFO', 'get_unlock_ability: 1');
        return this.send('OKAY', '');
      case 'flashing lock':
      case 'flashing unlock': {
        const locked = verb.endsWith(' lock');
        if (isLocked(this.host.flash, this.host.model) === locked)
          return this.send('FAIL', `already ${locked ? 'locked' : 'unlocked'}`);
        await this.send('INFO', 'answer on the screen of the phone');
        return (await this.host.setLocked(locked))
          ? this.send('OKAY', '')
          : this.send('FAIL', 'refused on the screen of the phone');
      }
      default:
        return this.send('FAIL', 'unknown command');
    }
  }

  private async take(message: Uint8Array): Promise<void> {
    const { bytes, had } = this.incoming!;
    if (had + message.length > bytes.length) throw new Error('more than was announced');
    bytes.set(this.host.flash.faults.onCable(message), had);
    this.incoming!.had += message.length;
    if (this.incoming!.had < bytes.length) return;
    this.incoming = undefined;
    this.downloaded = bytes;
    await this.send('OKAY', '');
  }

  /** Whatever changes the flash: not on a locked phone. */
  private async write(name: string, work: (device: Device) => Promise<void>): Promise<void> {
    const { flash, model } = this.host;
    if (isLocked(flash, model)) return this.send('FAIL', 'not allowed while the bootloader is locked');
    const device = flash.partition(name);
    if (!device) return this.send('FAIL', `no partition is called ${name}`);
    try {
      await work(device);
    } catch (error) {
      if (error instanceof IoError) return this.send('FAIL', 'the flash cannot be written there');
      if (!(error instanceof Refusal) && !(error instanceof FormatError)) throw error;
      return this.send('FAIL', error.message);
    }
    return this.send('OKAY', '');
  }

  private async flash(device: Device): Promise<void> {
    const bytes = this.downloaded;
    if (!bytes) throw new Refusal('nothing was downloaded');
    const source = memorySource(bytes);
    const isSparse =
      bytes.length >= 4 && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === sparseMagic;
    const size = isSparse ? (await readSparse(source)).imageBytes : bytes.length;
    if (size > device.bytes) throw new Refusal('the image is larger than the partition');
    if (!isSparse) return device.write(0, bytes);
    for await (const piece of sparsePieces(source)) {
      if ('bytes' in piece) await device.write(piece.offset, piece.bytes);
      else if ('fill' in piece) await fill(device, piece.offset, piece.length, piece.fill);
    }
  }

  private async send(kind: FastbootAnswer['kind'], text: string): Promise<void> {
    const message = answerBytes(kind, text);
    await this.cable.carry(message.length);
    this.socket.write(Buffer.concat([messageLength(message.length), message]));
  }
}

class Refusal extends Error {}

const fillBytes = 1 << 20;

async function fill(device: Device, offset: number, length: number, word: number): Promise<void> {
  const block = new Uint8Array(new Uint32Array(fillBytes / 4).fill(word).buffer);
  for (let done = 0; done < length; done += fillBytes) {
    await device.write(offset + done, block.subarray(0, Math.min(fillBytes, length - done)));
  }
}

const erase = (device: Device) => fill(device, 0, device.bytes, 0);
