import type { Socket } from 'node:net';
import type { PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import {
  handshake,
  maxCommandBytes,
  messageLength,
  MessageParser,
  parseAnswer,
  parseVariables,
  type FastbootAnswer,
} from '@keen-larder/core/protocols/fastboot/index.ts';
import { LinkFailure, type PhoneLink } from '../phone-link.ts';
import { connectTcp } from '../tcp.ts';

const answerMs = 10_000;

/** Variables that tell the battery's charge; makers name it differently (common practice, no published source). */
const chargeVariables = ['battery-soc', 'battery-level', 'charge'];

/** A phone in its bootloader: it tells its variables, and restarts. */
export class FastbootLink implements PhoneLink {
  readonly mode = 'bootloader';
  readonly kind = 'fastboot';
  readonly gone: Promise<void>;
  private readonly parser = new MessageParser(maxCommandBytes);
  private readonly answers: FastbootAnswer[] = [];
  private wake: (() => void) | undefined;
  private ended = false;
  private order: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly socket: Socket,
    readonly description: string,
  ) {
    socket.setNoDelay(true);
    socket.write(handshake);
    socket.on('data', (bytes) => this.receive(bytes));
    socket.on('error', () => socket.destroy());
    this.gone = new Promise((resolve) =>
      socket.once('close', () => {
        this.ended = true;
        this.wake?.();
        resolve();
      }),
    );
  }

  /** @param address `host:port` */
  static async open(address: string): Promise<FastbootLink> {
    return new FastbootLink(await connectTcp(address), `fastboot ${address}`);
  }

  async facts(): Promise<PhoneFacts> {
    const { info } = await this.ask('getvar:all');
    const variables = parseVariables(info);
    const serial = variables.get('serialno');
    if (!serial) throw new LinkFailure('The bootloader does not tell the serial number.');
    const charge = Number(
      chargeVariables
        .map((name) => variables.get(name))
        .find(Boolean)
        ?.replace('%', ''),
    );
    const unlocked = variables.get('unlocked');
    return {
      serial,
      maker: 'Unknown maker',
      model: variables.get('product') ?? 'Unknown model',
      mode: 'bootloader',
      root: false,
      abis: [],
      condition: { kind: 'unknown', ...(unlocked && { bootloaderUnlocked: unlocked === 'yes' }) },
      ...(Number.isFinite(charge) && { battery: { percent: charge, charging: true } }),
      variables: Object.fromEntries(variables),
    };
  }

  ready(): Promise<boolean> {
    return Promise.resolve(true);
  }

  async restart(into: PhoneMode): Promise<void> {
    if (into === 'loader') throw new LinkFailure('No command leads into loader mode; hold the keys.');
    await this.ask(into === 'system' ? 'reboot' : `reboot-${into}`);
  }

  close(): void {
    this.socket.destroy();
  }

  /** Sends a command and takes its answers up to the last. @throws LinkFailure with the phone's words on FAIL */
  private async ask(command: string): Promise<{ text: string; info: readonly string[] }> {
    const before = this.order;
    let release = () => {};
    this.order = new Promise<void>((resolve) => (release = resolve));
    await before;
    const timer = setTimeout(() => this.close(), answerMs);
    const info: string[] = [];
    try {
      const bytes = Buffer.from(command, 'latin1');
      this.socket.write(Buffer.concat([messageLength(bytes.length), bytes]));
      for (;;) {
        const { kind, text } = await this.next();
        if (kind === 'INFO' || kind === 'TEXT') info.push(text);
        else if (kind === 'OKAY') return { text, info };
        else throw new LinkFailure(`The bootloader answered “${text}” to “${command}”.`);
      }
    } finally {
      clearTimeout(timer);
      release();
    }
  }

  private receive(bytes: Buffer): void {
    try {
      for (const message of this.parser.push(bytes)) this.answers.push(parseAnswer(message));
    } catch {
      this.close();
    }
    this.wake?.();
  }

  private async next(): Promise<FastbootAnswer> {
    for (;;) {
      const answer = this.answers.shift();
      if (answer) return answer;
      if (this.ended)
        throw new LinkFailure('The phone is no longer connected. Check the cable, then start again.');
      await new Promise<void>((resolve) => (this.wake = resolve));
    }
  }
}
