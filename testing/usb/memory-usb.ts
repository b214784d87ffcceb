/// <reference types="w3c-web-usb" />
// A USB bus in memory: devices that speak adb or fastboot by WebUSB's interface, with the transfers, short packets, stalls
// and unplugging of the real one. Source: the WebUSB specification, and AOSP's adb and fastboot for what goes through.
import { connect, type Socket } from 'node:net';
import { PacketParser } from '../../core/protocols/adb/packet.ts';
import type { UsbBus } from '../../server/links/usb/usb-bus.ts';

const inEndpoint = 1;
const outEndpoint = 2;
const protocols = { adb: 1, fastboot: 3 } as const;

type Listener = (event: USBConnectionEvent) => void;

/** What is plugged into it shows at the next look. */
export class MemoryUsbBus implements UsbBus {
  private readonly devices = new Set<MemoryUsbDevice>();
  private readonly listeners = { connect: new Set<Listener>(), disconnect: new Set<Listener>() };

  getDevices(): Promise<USBDevice[]> {
    return Promise.resolve([...this.devices] as unknown as USBDevice[]); // The members that nobody asks for are left out.
  }

  addEventListener(type: 'connect' | 'disconnect', listener: Listener): void {
    this.listeners[type].add(listener);
  }

  removeEventListener(type: 'connect' | 'disconnect', listener: Listener): void {
    this.listeners[type].delete(listener);
  }

  plug(device: MemoryUsbDevice): void {
    this.devices.add(device);
    this.tell('connect', device);
  }

  unplug(device: MemoryUsbDevice): void {
    this.devices.delete(device);
    device.pull();
    this.tell('disconnect', device);
  }

  private tell(type: 'connect' | 'disconnect', device: MemoryUsbDevice): void {
    const event = { type, device } as unknown as USBConnectionEvent; // No event of a page is needed.
    for (const listener of this.listeners[type]) listener(event);
  }
}

const gone = () => Object.assign(new Error('The device was disconnected.'), { name: 'NetworkError' });

export interface MemoryUsbOptions {
  readonly kind: keyof typeof protocols;
  readonly serial: string;
  /** Port of the phone's own daemon or bootloader on this computer. */
  readonly port: () => number;
  /** As at high speed. */
  readonly packetBytes?: number;
  /** What hinders whoever opens or claims it, in the words of the system. */
  readonly hindrance?: { readonly at: 'open' | 'claim'; readonly words: string };
  /** Every so many transfers, one stalls. */
  readonly stallsEvery?: number;
}

/** One device with one interface. */
export class MemoryUsbDevice {
  opened = false;
  configuration: USBConfiguration | null = null;
  readonly vendorId = 0x18d1;
  readonly productId = 0x4ee7;
  readonly productName = 'Phone';
  readonly serialNumber: string;
  readonly configurations: USBConfiguration[];
  private isPulled = false;
  private far: FarEnd | undefined;
  private transfers = 0;
  private isHalted = false;
  /** How many times an endpoint was cleared. */
  cleared = 0;

  constructor(readonly options: MemoryUsbOptions) {
    this.serialNumber = options.serial;
    const packetSize = options.packetBytes ?? 512;
    const alternate = {
      alternateSetting: 0,
      interfaceClass: 0xff,
      interfaceSubclass: 0x42,
      interfaceProtocol: protocols[options.kind],
      endpoints: [
        { endpointNumber: inEndpoint, direction: 'in', type: 'bulk', packetSize },
        { endpointNumber: outEndpoint, direction: 'out', type: 'bulk', packetSize },
      ],
    };
    const usbInterface = { interfaceNumber: 0, alternates: [alternate], alternate, claimed: false };
    this.configurations = [
      { configurationValue: 1, interfaces: [usbInterface] },
    ] as unknown as USBConfiguration[]; // Names of configurations are not used.
  }

  open(): Promise<void> {
    if (this.isPulled) return Promise.reject(gone());
    const { hindrance } = this.options;
    if (hindrance?.at === 'open') return Promise.reject(new Error(hindrance.words));
    this.opened = true;
    return Promise.resolve();
  }

  selectConfiguration(value: number): Promise<void> {
    this.configuration = this.configurations.find((each) => each.configurationValue === value) ?? null;
    return Promise.resolve();
  }

  async claimInterface(): Promise<void> {
    const { hindrance, kind, port, packetBytes = 512 } = this.options;
    if (hindrance?.at === 'claim') throw new Error(hindrance.words);
    const socket = connect({ host: '127.0.0.1', port: port() });
    await new Promise<void>((resolve, reject) => {
      socket.once('connect', resolve);
      socket.once('error', reject);
    });
    this.setClaimed(true);
    this.far = kind === 'adb' ? new FarAdb(socket, packetBytes) : new FarFastboot(socket, packetBytes);
  }

  close(): Promise<void> {
    this.far?.end();
    this.far = undefined;
    this.opened = false;
    this.configuration = null;
    this.setClaimed(false);
    return Promise.resolve();
  }

  async transferIn(endpoint: number, length: number): Promise<USBInTransferResult> {
    if (endpoint !== inEndpoint) throw new Error('no such endpoint');
    if (this.stalls()) return { status: 'stall' } as USBInTransferResult;
    const bytes = await this.farEnd().read(length);
    return { status: 'ok', data: new DataView(bytes.buffer, bytes.byteOffset, bytes.length) };
  }

  async transferOut(endpoint: number, data: Uint8Array): Promise<USBOutTransferResult> {
    if (endpoint !== outEndpoint) throw new Error('no such endpoint');
    if (this.stalls()) return { status: 'stall', bytesWritten: 0 };
    await this.farEnd().write(new Uint8Array(data));
    return { status: 'ok', bytesWritten: data.length };
  }

  clearHalt(): Promise<void> {
    this.isHalted = false;
    this.cleared++;
    return Promise.resolve();
  }

  /** The cable comes out. */
  pull(): void {
    this.isPulled = true;
    this.far?.end();
  }

  private farEnd(): FarEnd {
    if (this.isPulled || !this.far) throw gone();
    return this.far;
  }

  private stalls(): boolean {
    const { stallsEvery } = this.options;
    if (stallsEvery && ++this.transfers % stallsEvery === 0) this.isHalted = true;
    return this.isHalted;
  }

  private setClaimed(claimed: boolean): void {
    for (const { interfaces } of this.configurations)
      for (const each of interfaces) (each as { claimed: boolean }).claimed = claimed;
  }
}

/** The phone's side of a device: transfers that it has ready, and what becomes of those that come. */
abstract class FarEnd {
  private readonly ready: Uint8Array[] = [];
  private wake: (() => void) | undefined;
  private isOver = false;

  constructor(
    protected readonly socket: Socket,
    private readonly packetBytes: number,
  ) {
    socket.setNoDelay(true);
    socket.on('data', (bytes) => this.came(bytes));
    socket.on('error', () => socket.destroy());
    socket.once('close', () => this.end());
  }

  protected abstract came(bytes: Uint8Array): void;
  abstract write(bytes: Uint8Array): Promise<void>;

  /** One that is of whole packets is followed by an empty one. */
  protected offer(transfer: Uint8Array): void {
    this.ready.push(transfer);
    if (transfer.length > 0 && transfer.length % this.packetBytes === 0) this.ready.push(new Uint8Array());
    if (this.ready.length > 64) this.socket.pause();
    this.wake?.();
  }

  /** A transfer, or as much of it as was asked for. @throws Error when the device is gone */
  async read(length: number): Promise<Uint8Array> {
    for (;;) {
      const first = this.ready[0];
      if (first) {
        if (first.length <= length) this.ready.shift();
        else this.ready[0] = first.subarray(length);
        this.socket.resume();
        return first.slice(0, length);
      }
      if (this.isOver) throw gone();
      await new Promise<void>((resolve) => (this.wake = resolve));
    }
  }

  end(): void {
    this.isOver = true;
    this.socket.destroy();
    this.wake?.();
  }

  protected async toPhone(bytes: Uint8Array): Promise<void> {
    if (this.isOver) throw gone();
    if (this.socket.write(bytes)) return;
    await new Promise<void>((resolve) => {
      this.socket.once('drain', resolve);
      this.socket.once('close', () => resolve());
    });
  }
}

/** Header and payload of a packet are a transfer each; long payloads come in several, which adb allows. */
class FarAdb extends FarEnd {
  private readonly parser = new PacketParser();

  protected came(bytes: Uint8Array): void {
    for (let at = 0; at < bytes.length;) {
      const space = this.parser.space();
      const part = bytes.subarray(at, at + space.length);
      space.set(part);
      at += part.length;
      const isWhole = part.length === space.length;
      if (isWhole) this.offer(space.buffer.byteLength === 24 ? headOf(space) : new Uint8Array(space.buffer));
      this.parser.took(part.length);
    }
  }

  write(bytes: Uint8Array): Promise<void> {
    return this.toPhone(bytes);
  }
}

const headOf = (space: Uint8Array): Uint8Array => new Uint8Array(space.buffer).slice();

/** Commands and answers as transfers; behind an announcement of data, so many bytes of it. */
class FarFastboot extends FarEnd {
  private held = Buffer.alloc(0);
  private isGreeted = false;
  private dataLeft = 0;

  constructor(socket: Socket, packetBytes: number) {
    super(socket, packetBytes);
    socket.write('FB01');
  }

  protected came(bytes: Uint8Array): void {
    this.held = Buffer.concat([this.held, bytes]);
    if (!this.isGreeted) {
      if (this.held.length < 4) return;
      this.isGreeted = true;
      this.held = this.held.subarray(4);
    }
    while (this.held.length >= 8) {
      const length = Number(this.held.readBigUInt64BE(0));
      if (this.held.length < 8 + length) return;
      const answer = new Uint8Array(this.held.subarray(8, 8 + length));
      this.held = this.held.subarray(8 + length);
      const announced = /^DATA([0-9a-f]{8})/.exec(Buffer.from(answer).toString());
      if (announced) this.dataLeft = Number.parseInt(announced[1]!, 16);
      this.offer(answer);
    }
  }

  async write(bytes: Uint8Array): Promise<void> {
    if (bytes.length === 0) return;
    if (this.dataLeft > 0 && bytes.length > this.dataLeft) throw new Error('more data than was announced');
    if (this.dataLeft > 0) this.dataLeft -= bytes.length;
    const length = Buffer.alloc(8);
    length.writeBigUInt64BE(BigInt(bytes.length));
    await this.toPhone(Buffer.concat([length, bytes]));
  }
}
