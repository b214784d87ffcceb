import type { Finding, Survey } from '@keen-larder/core/phone/survey.ts';
import { namesOfMake, type PartitionFacts, type PhoneFacts } from '@keen-larder/core/phone/facts.ts';
import type { PhoneMode } from '@keen-larder/core/phone/modes.ts';
import { roleOf, whyNeverWritten } from '@keen-larder/core/phone/roles.ts';
import {
  downloadCommand,
  parseAnswer,
  parseNumber,
  parseVariables,
  type FastbootAnswer,
} from '@keen-larder/core/protocols/fastboot/fastboot-messages.ts';
import { type FlashingAccess, type PhoneLink } from '../phone-link.ts';
import type { UsbDevice } from '../usb/usb-bus.ts';
import { usbName } from '../usb/usb-bus.ts';
import { fastbootOverTcp, fastbootOverUsb, type FastbootTransport } from './transports.ts';
import { FlashFailure, LinkFailure, PhoneRefusal } from '../../failures.ts';
import type { Quiet, SilenceLimit } from '../silence.ts';

/** A large piece on slow flash. */
const writing: Quiet = { ms: 300_000 };
/** Somebody has to read what the screen asks, and press keys. */
const asking: Quiet = { ms: 300_000 };
const gone = 'The phone is no longer connected. Check the cable, then start again.';

/** Variables that tell the battery's charge; makers name it differently (common practice, no published source). */
/** Lines that one answer may have, and answers that may wait: of variables there are some hundreds (from memory, with a margin). */
const mostInfo = 20_000;
const endless = 'What the bootloader says does not come to an end.';
const chargeVariables = ['battery-soc', 'battery-level', 'charge'];

/** A phone in its bootloader: it tells its variables, takes images, and restarts. */
export class FastbootLink implements PhoneLink {
  readonly mode = 'bootloader';
  readonly kind = 'fastboot';
  readonly user = 0;
  readonly gone: Promise<void>;
  readonly flashing: FlashingAccess = {
    list: () => this.list(),
    maxDownloadBytes: () => this.maxDownloadBytes(),
    flash: (name, piece, signal) => this.flash(name, piece, signal),
    erase: async (name, signal) => void (await this.ask(`erase:${name}`, writing, signal)),
    setLocked: async (locked, signal) =>
      void (await this.ask(locked ? 'flashing lock' : 'flashing unlock', asking, signal)),
    setActive: async (slot) => void (await this.ask(`set_active:${slot}`)),
  };
  private readonly answers: FastbootAnswer[] = [];
  private wake: (() => void) | undefined;
  private ended = false;
  private order: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly transport: FastbootTransport,
    private readonly silence: SilenceLimit,
    readonly description: string,
  ) {
    transport.listen((message) => this.receive(message));
    this.gone = transport.gone.then(() => {
      this.ended = true;
      this.wake?.();
    });
  }

  /** @param address `host:port` */
  static async open(address: string, silence: SilenceLimit): Promise<FastbootLink> {
    return new FastbootLink(await fastbootOverTcp(address), silence, `fastboot ${address}`);
  }

  /** @throws UsbHindered */
  static async overUsb(device: UsbDevice, silence: SilenceLimit): Promise<FastbootLink> {
    return new FastbootLink(await fastbootOverUsb(device), silence, `fastboot usb ${usbName(device)}`);
  }

  /** Nobody has apps here. */
  asUser(): this {
    return this;
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
      ...namesOfMake(
        variables.get('product'),
        variables.get('version-bootloader'),
        variables.get('version-baseband'),
      ),
      mode: 'bootloader',
      root: false,
      abis: [],
      condition: { kind: 'unknown', ...(unlocked && { bootloaderUnlocked: unlocked === 'yes' }) },
      ...(Number.isFinite(charge) && { battery: { percent: charge, charging: true } }),
      variables: Object.fromEntries(variables),
    };
  }

  async survey(): Promise<Omit<Survey, 'at' | 'build'>> {
    const variables = new Map(Object.entries((await this.facts()).variables ?? {}));
    const findings: Finding[] = [];
    const note = (what: string, found: string | undefined) =>
      findings.push({ what, result: found === undefined ? 'missing' : 'works', found: found ?? '' });
    note('Variables', `${variables.size} are told`);
    for (const name of ['product', 'unlocked', 'current-slot', 'is-userspace', 'max-download-size'])
      note(`Variable ${name}`, variables.get(name));
    const sized = [...variables.keys()].filter((name) => name.startsWith('partition-size:')).length;
    note('Sizes of partitions', sized > 0 ? `${sized} are told` : undefined);
    findings.push({ what: 'Reading', result: 'missing', found: 'a bootloader hands nothing out' });
    return { mode: this.mode, findings };
  }

  ready(): Promise<boolean> {
    return Promise.resolve(true);
  }

  async restart(into: PhoneMode): Promise<void> {
    if (into === 'loader') throw new PhoneRefusal('No command leads into loader mode; hold the keys.');
    try {
      await this.ask(into === 'system' ? 'reboot' : `reboot-${into}`);
    } catch (error) {
      // A phone that is gone before it has answered did what it was told.
      if (!this.ended) throw error;
    }
  }

  close(): void {
    this.transport.close();
  }

  private async list(): Promise<PartitionFacts[]> {
    const { info } = await this.ask('getvar:all');
    return [...parseVariables(info)]
      .flatMap(([variable, value]) => {
        const name = /^partition-size:(.+)$/.exec(variable)?.[1];
        const bytes = parseNumber(value);
        return name && bytes !== undefined ? [{ name, role: roleOf(name), bytes }] : [];
      })
      .sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  private async maxDownloadBytes(): Promise<number> {
    const told = parseNumber((await this.ask('getvar:max-download-size')).text);
    if (!told) throw new PhoneRefusal('The bootloader does not tell how much it takes at once.');
    return told;
  }

  private async flash(
    name: string,
    { bytes, parts }: { readonly bytes: number; readonly parts: AsyncIterable<Uint8Array> },
    signal?: AbortSignal,
  ): Promise<void> {
    const why = whyNeverWritten(name);
    if (why) throw new PhoneRefusal(`${name} is never written. ${why}`);
    await this.inTurn(async () => {
      await this.exchange(downloadCommand(bytes), 'DATA', undefined, signal);
      for await (const part of parts) {
        signal?.throwIfAborted();
        if (this.ended) throw new LinkFailure(gone);
        await this.given(this.transport.data(part), signal);
      }
      await this.given(this.transport.endData(), signal);
      await this.exchange(undefined, 'OKAY', writing, signal);
      await this.exchange(`flash:${name}`, 'OKAY', writing, signal);
    });
  }

  /** Sends a command and takes its answers up to the last. @throws LinkFailure with the phone's words on FAIL */
  private ask(command: string, quiet?: Quiet, signal?: AbortSignal) {
    return this.inTurn(() => this.exchange(command, 'OKAY', quiet, signal));
  }

  /** What breaks off in the middle leaves the phone waiting for the rest: the link is given up. */
  private async inTurn<T>(work: () => Promise<T>): Promise<T> {
    const before = this.order;
    let release = () => {};
    this.order = new Promise<void>((resolve) => (release = resolve));
    await before;
    let isAnswered = false;
    try {
      const result = await work();
      isAnswered = true;
      return result;
    } catch (error) {
      isAnswered = error instanceof PhoneRefusal || error instanceof FlashFailure;
      throw error;
    } finally {
      release();
      if (!isAnswered) this.close();
    }
  }

  private async exchange(
    command: string | undefined,
    wanted: 'OKAY' | 'DATA',
    quiet: Quiet | undefined,
    signal?: AbortSignal,
  ): Promise<{ text: string; info: readonly string[] }> {
    const info: string[] = [];
    if (command !== undefined) {
      await this.given(this.transport.command(Buffer.from(command, 'latin1')), signal);
    }
    for (;;) {
      const { kind, text } = await this.silence.for(this.next(signal), quiet);
      if (kind === 'INFO' || kind === 'TEXT') {
        info.push(text);
        if (info.length > mostInfo) throw new LinkFailure(endless);
      } else if (kind === wanted) return { text, info };
      else if (/flash (cannot|write)|write fail/i.test(text)) {
        throw new FlashFailure(`The bootloader answered “${text}”: the phone’s flash is worn.`);
      } else
        throw new PhoneRefusal(`The bootloader answered “${text}” to “${command ?? 'the bytes'}”.`, text);
    }
  }

  /** What the phone takes, it takes within the limit of silence. @throws LinkFailure when it is gone */
  private async given(sent: Promise<void>, signal: AbortSignal | undefined): Promise<void> {
    sent.catch(() => undefined);
    let stop = () => undefined as void;
    const aborted = new Promise<void>((resolve) => (stop = resolve));
    signal?.addEventListener('abort', stop, { once: true });
    try {
      await this.silence.for(Promise.race([sent, this.gone, aborted]));
    } catch (error) {
      if (this.ended) throw new LinkFailure(gone);
      throw error;
    } finally {
      signal?.removeEventListener('abort', stop);
    }
    signal?.throwIfAborted();
    if (this.ended) throw new LinkFailure(gone);
  }

  private receive(message: Uint8Array): void {
    try {
      this.answers.push(parseAnswer(message));
      if (this.answers.length > mostInfo) this.close();
    } catch {
      this.close();
    }
    this.wake?.();
  }

  private async next(signal?: AbortSignal): Promise<FastbootAnswer> {
    for (;;) {
      signal?.throwIfAborted();
      const answer = this.answers.shift();
      if (answer) return answer;
      if (this.ended) throw new LinkFailure(gone);
      await new Promise<void>((resolve) => {
        const done = () => {
          signal?.removeEventListener('abort', done);
          resolve();
        };
        this.wake = done;
        signal?.addEventListener('abort', done, { once: true });
      });
    }
  }
}
