import { commands } from '@keen-larder/core/protocols/adb/packet.ts';

interface Packet {
  readonly command: number;
  readonly arg0: number;
  readonly arg1: number;
}

interface Stream<P> {
  /** Packets of data that were handed on and not acknowledged. */
  unread: number;
  /** That came behind them. */
  end?: P;
}

/**
 * Keeps the end of a stream back until the data before it has been read. A phone that sends ahead (`delayed_ack`, Android 14
 * on) may close a stream behind data of which nobody has acknowledged the last; the client library drops what is still
 * waiting when it hears of the close, the exit code of a command above all.
 */
export class LateEnds<P extends Packet> {
  private readonly streams = new Map<number, Stream<P>>();
  /** That this computer has closed: nobody reads them any more. */
  private readonly closed = new Set<number>();

  /** Of the phone. Resolves to the packet where it may be handed on now. */
  came(packet: P): P | undefined {
    const own = packet.arg1;
    if (this.closed.has(own)) {
      if (packet.command === commands.CLSE) this.closed.delete(own);
      return packet;
    }
    if (packet.command === commands.WRTE) {
      const stream = this.streams.get(own) ?? { unread: 0 };
      stream.unread++;
      this.streams.set(own, stream);
    } else if (packet.command === commands.CLSE) {
      const stream = this.streams.get(own);
      if (stream) {
        stream.end = packet;
        return undefined;
      }
    }
    return packet;
  }

  /** Of this computer. Resolves to the end of a stream, where all before it is read now. */
  sent({ command, arg0 }: Packet): P | undefined {
    const stream = this.streams.get(arg0);
    if (command === commands.CLSE && !stream?.end) this.closed.add(arg0);
    else if (command !== commands.CLSE && command !== commands.OKAY) return undefined;
    if (!stream || (command === commands.OKAY && --stream.unread > 0)) return undefined;
    this.streams.delete(arg0);
    return stream.end;
  }
}
