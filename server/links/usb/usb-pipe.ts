import { hindranceOf, usbName, type UsbDevice, type UsbHindrance, type UsbPort } from './usb-bus.ts';
import { LinkFailure } from '../../failures.ts';

/** A USB device that cannot be opened, and why. */
export class UsbHindered extends LinkFailure {
  override readonly name = 'UsbHindered';

  constructor(
    readonly hindrance: UsbHindrance,
    device: UsbDevice,
    cause: unknown,
  ) {
    super(`${usbName(device)} cannot be used over USB: ${(cause as Error).message}`, { cause });
  }
}

/** So often in a row a stalled endpoint is cleared before the link is given up. */
const mostStalls = 3;

/** Opens a device and claims the interface that a phone speaks by. @throws UsbHindered */
export async function claim(device: UsbDevice, port: UsbPort): Promise<void> {
  try {
    if (!device.opened) await device.open();
    if (device.configuration?.configurationValue !== port.configuration.configurationValue)
      await device.selectConfiguration(port.configuration.configurationValue);
    if (!port.usbInterface.claimed) await device.claimInterface(port.usbInterface.interfaceNumber);
  } catch (error) {
    await device.close().catch(() => undefined);
    throw new UsbHindered(hindranceOf(error), device, error);
  }
}

/** The two bulk endpoints of a claimed interface, transfers in whole. */
export class UsbPipe {
  private stalls = 0;

  constructor(
    private readonly device: UsbDevice,
    private readonly port: UsbPort,
  ) {}

  get packetBytes(): number {
    return this.port.output.packetSize;
  }

  /**
   * One transfer of at most so many bytes. One that stalls is cleared and asked for again.
   * @throws Error when the device is gone or stalls again and again
   */
  async receive(mostBytes: number): Promise<Uint8Array> {
    for (;;) {
      const { status, data } = await this.device.transferIn(this.port.input.endpointNumber, mostBytes);
      if (status === 'stall') await this.clear('in', this.port.input.endpointNumber);
      else if (status === 'babble') throw new Error('the phone sent more than it was asked for');
      else {
        this.stalls = 0;
        return data ? new Uint8Array(data.buffer, data.byteOffset, data.byteLength) : new Uint8Array();
      }
    }
  }

  /** So many bytes, in as many transfers as the phone makes of them. @throws Error */
  async receiveAll(bytes: number, into: Uint8Array): Promise<void> {
    for (let at = 0; at < bytes;) {
      const part = await this.receive(bytes - at);
      into.set(part, at);
      at += part.length;
    }
  }

  /** @throws Error when the device is gone, or takes no more */
  async send(bytes: Uint8Array): Promise<void> {
    for (let at = 0; at < bytes.length;) {
      const part = at === 0 ? bytes : bytes.subarray(at);
      const { status, bytesWritten } = await this.device.transferOut(
        this.port.output.endpointNumber,
        part as Uint8Array<ArrayBuffer>,
      );
      at += bytesWritten;
      if (status === 'stall') await this.clear('out', this.port.output.endpointNumber);
      else this.stalls = 0;
      if (status === 'ok' && bytesWritten === 0) throw new Error('the phone takes nothing more');
    }
  }

  /** A transfer that is a multiple of whole packets does not end by itself: an empty one ends it. */
  async endTransfer(bytes: number): Promise<void> {
    if (bytes > 0 && bytes % this.packetBytes === 0)
      await this.device.transferOut(this.port.output.endpointNumber, new Uint8Array());
  }

  private async clear(direction: USBDirection, endpoint: number): Promise<void> {
    if (++this.stalls > mostStalls) throw new Error('the phone stalls again and again');
    await this.device.clearHalt(direction, endpoint);
  }
}
