import type { Socket } from 'node:net';
import {
  answerBytes,
  handshake,
  maxCommandBytes,
  MessageParser,
  messageLength,
  type FastbootAnswer,
} from '@keen-larder/core/protocols/fastboot/index.ts';
import type { Cable } from '../phone/cable.ts';
import { variableNames, variableOf, type BootloaderHost } from './variables.ts';

/** The phone's end of one fastboot connection (AOSP system/core/fastboot, README). */
export class FastbootConnection {
  private readonly parser = new MessageParser(maxCommandBytes);

  constructor(
    private readonly socket: Socket,
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
      for (const message of this.parser.push(bytes))
        await this.answer(Buffer.from(message).toString('latin1'));
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
      default:
        return this.send('FAIL', 'unknown command');
    }
  }

  private async send(kind: FastbootAnswer['kind'], text: string): Promise<void> {
    const message = answerBytes(kind, text);
    await this.cable.carry(message.length);
    this.socket.write(Buffer.concat([messageLength(message.length), message]));
  }
}
