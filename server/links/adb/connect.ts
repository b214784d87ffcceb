import { connect, type Socket } from 'node:net';
import { Adb, AdbDaemonTransport, AdbPacket, AdbPacketSerializeStream, type AdbDaemonConnection } from '@yume-chan/adb';
import { Consumable, pipeFrom, PushReadableStream, StructDeserializeStream } from '@yume-chan/stream-extra';
import { LinkFailure } from '../phone-link.ts';

const connectMs = 3000;
const greetingMs = 5000;

/** Connects to a phone's adb daemon over TCP. @param address `host:port` */
export async function connectAdb(address: string): Promise<Adb> {
  const opened = await openSocket(address);
  const { socket } = opened;
  const timer = setTimeout(() => socket.destroy(), greetingMs);
  try {
    const transport = await AdbDaemonTransport.authenticate({
      serial: address,
      connection: connectionOf(opened),
      credentialStore: noKeys,
      // Acknowledging late is for slow networks; it is not offered, so every phone speaks alike.
      initialDelayedAckBytes: 0,
    });
    return new Adb(transport);
  } catch (error) {
    socket.destroy();
    throw new LinkFailure(`${address} does not greet as adb does: ${(error as Error).message}`);
  } finally {
    clearTimeout(timer);
  }
}

/** A phone that asks for a key is not let in without one. */
const noKeys = {
  generateKey: () => {
    throw new LinkFailure('The phone wants this computer to be allowed first.');
  },
  iterateKeys: () => [],
};

/** Takes what a socket receives; answers whether it may go on receiving at once. */
type Receiver = (bytes: Uint8Array) => boolean;

interface Opened {
  readonly socket: Socket;
  receive: Receiver;
}

/** Large reads straight into buffers of our own: an image is millions of small ones otherwise. */
const readBytes = 256 * 1024;

function openSocket(address: string): Promise<Opened> {
  const colon = address.lastIndexOf(':');
  return new Promise((resolve, reject) => {
    const socket = connect({
      host: address.slice(0, colon),
      port: Number(address.slice(colon + 1)),
      onread: {
        buffer: () => Buffer.allocUnsafeSlow(readBytes),
        callback: (length, buffer) => opened.receive(buffer.subarray(0, length)),
      },
    });
    const opened: Opened = { socket, receive: () => true };
    const fail = (why: string) => {
      socket.destroy();
      reject(new LinkFailure(`${address} does not answer: ${why}`));
    };
    const timer = setTimeout(() => fail('timed out'), connectMs);
    socket.once('connect', () => {
      clearTimeout(timer);
      socket.setNoDelay(true);
      socket.removeAllListeners('error');
      socket.on('error', () => socket.destroy());
      resolve(opened);
    });
    socket.once('error', (error) => {
      clearTimeout(timer);
      fail(error.message);
    });
  });
}

/** A socket as the pair of packet streams that the adb client speaks to. */
function connectionOf(opened: Opened): AdbDaemonConnection {
  const { socket } = opened;
  const bytes = new PushReadableStream<Uint8Array>((controller) => {
    let open = true;
    const end = () => {
      if (!open) return;
      open = false;
      try {
        controller.close();
      } catch {
        // The reader cancelled first.
      }
    };
    opened.receive = (data) => {
      controller.enqueue(data).then(
        () => socket.resume(),
        () => socket.destroy(),
      );
      return false;
    };
    socket.on('end', end);
    socket.on('close', end);
  });
  const sink = new Consumable.WritableStream<Uint8Array>({
    write: (part) => writeAll(socket, part),
    close: () => void socket.end(),
    abort: () => void socket.destroy(),
  });
  return {
    readable: bytes.pipeThrough(new StructDeserializeStream(AdbPacket)),
    writable: pipeFrom(sink, new AdbPacketSerializeStream()),
  };
}

/** A write that fails ends the socket, and with it the readable side, which is where everyone listens. */
function writeAll(socket: Socket, bytes: Uint8Array): Promise<void> {
  return new Promise((resolve) => {
    socket.write(bytes, (error) => {
      if (error) socket.destroy();
      resolve();
    });
  });
}
