/// <reference types="w3c-web-usb" />

/** What is asked of a USB device: the part of WebUSB's `USBDevice` that adb and fastboot need. */
export type UsbDevice = USBDevice;

/** The computer's USB bus: the part of WebUSB's `USB` that is used. */
export interface UsbBus {
  getDevices(): Promise<UsbDevice[]>;
  addEventListener(type: 'connect' | 'disconnect', listener: (event: USBConnectionEvent) => void): void;
  removeEventListener(type: 'connect' | 'disconnect', listener: (event: USBConnectionEvent) => void): void;
}

/** The bus of this computer, or why it cannot be looked at. */
export async function openUsbBus(): Promise<UsbBus | string> {
  try {
    const { WebUSB } = await import('usb');
    const bus = new WebUSB({ allowAllDevices: true });
    await bus.getDevices();
    return bus;
  } catch (error) {
    return (error as Error).message;
  }
}

/** What Android's interfaces have in common (AOSP, adb and fastboot: usb.h). */
const androidClass = 0xff;
const androidSubclass = 0x42;
const protocols = { adb: 1, fastboot: 3 } as const;
export type UsbKind = keyof typeof protocols;

/** An interface of a device, and where bytes go in and out. */
export interface UsbPort {
  readonly kind: UsbKind;
  readonly configuration: USBConfiguration;
  readonly usbInterface: USBInterface;
  readonly alternate: USBAlternateInterface;
  readonly input: USBEndpoint;
  readonly output: USBEndpoint;
}

/** The interface of a phone by which it speaks adb or fastboot; undefined of whatever is no phone, or says nothing. */
export function portOf(device: UsbDevice): UsbPort | undefined {
  for (const configuration of device.configurations)
    for (const usbInterface of configuration.interfaces)
      for (const alternate of usbInterface.alternates) {
        if (alternate.interfaceClass !== androidClass || alternate.interfaceSubclass !== androidSubclass)
          continue;
        const kind = (Object.keys(protocols) as UsbKind[]).find(
          (name) => protocols[name] === alternate.interfaceProtocol,
        );
        const bulk = (direction: USBDirection) =>
          alternate.endpoints.find((each) => each.type === 'bulk' && each.direction === direction);
        const input = bulk('in');
        const output = bulk('out');
        if (kind && input && output) return { kind, configuration, usbInterface, alternate, input, output };
      }
  return undefined;
}

/** The name of a device for people: its serial, or what it calls itself. */
export const usbName = ({ serialNumber, productName, vendorId, productId }: UsbDevice): string =>
  serialNumber ||
  productName ||
  `${vendorId.toString(16).padStart(4, '0')}:${productId.toString(16).padStart(4, '0')}`;

/** What hinders somebody who opens or claims a device, by the words of the system below (errno 13, 1 and 16). */
export type UsbHindrance = 'no permissions' | 'held' | 'gone';

export function hindranceOf(error: unknown): UsbHindrance {
  const { name = '', message = '' } = error as Partial<Error>;
  if (name === 'SecurityError' || /permission|access denied|errno (?:1|13)\b/i.test(message))
    return 'no permissions';
  if (/busy|claimed|in use|errno 16\b/i.test(message)) return 'held';
  return 'gone';
}
