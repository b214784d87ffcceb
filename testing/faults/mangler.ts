import { connect, createServer, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { Transform } from 'node:stream';

/** What becomes of the bytes that a phone sends. */
export type Mangling =
  /** They are as they were. */
  | { readonly how: 'none' }
  /** After some bytes one bit in so many is another. */
  | { readonly how: 'flip'; readonly after: number; readonly oneIn: number }
  /** After some bytes noise follows, without end. */
  | { readonly how: 'endless'; readonly after: number }
  /** After some bytes a piece is sent again and again, without end. */
  | { readonly how: 'again'; readonly after: number }
  /** After some bytes they come one at a time. */
  | { readonly how: 'slow'; readonly after: number; readonly everyMs: number }
  /** After some bytes a piece is missing. */
  | { readonly how: 'gap'; readonly after: number; readonly bytes: number }
  /** After some bytes the phone ends what it says. */
  | { readonly how: 'end'; readonly after: number };

/** A way to a phone on which its bytes go wrong: whoever connects to `address` is connected to the phone. */
export class Mangler {
  private readonly server: Server;
  private readonly open = new Set<Socket>();
  private mangling: Mangling = { how: 'none' };
  /** How often that was set. */
  private turn = 0;

  private constructor(
    private readonly target: string,
    private readonly number: (below: number) => number,
  ) {
    this.server = createServer((bench) => this.through(bench));
  }

  static async start(target: string, number: (below: number) => number): Promise<Mangler> {
    const mangler = new Mangler(target, number);
    await new Promise<void>((resolve) => mangler.server.listen(0, '127.0.0.1', resolve));
    return mangler;
  }

  get address(): string {
    return `127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  /** From now on, on connections that are open as well. */
  set(mangling: Mangling): void {
    this.mangling = mangling;
    this.turn++;
  }

  /** Ends all connections; others may come. */
  drop(): void {
    for (const socket of this.open) socket.destroy();
  }

  close(): void {
    this.drop();
    this.server.close();
  }

  private through(bench: Socket): void {
    const [host, port] = this.target.split(':') as [string, string];
    const phone = connect(Number(port), host);
    for (const [socket, other] of [
      [bench, phone],
      [phone, bench],
    ] as const) {
      this.open.add(socket);
      socket.on('error', () => other.destroy());
      socket.on('close', () => {
        this.open.delete(socket);
        other.destroy();
      });
    }
    bench.pipe(phone);
    phone.pipe(this.spoilt()).pipe(bench);
  }

  private spoilt(): Transform {
    const { number } = this;
    const noise = Buffer.from(Array.from({ length: 65536 }, () => number(256)));
    let passed = 0;
    let { turn } = this;
    const spoil = (bytes: Buffer, out: Transform): Promise<void> | undefined => {
      const { mangling } = this;
      if (turn !== this.turn) passed = 0;
      turn = this.turn;
      if (mangling.how === 'none') return void out.push(bytes);
      const plain = Math.max(0, Math.min(bytes.length, mangling.after - passed));
      passed += bytes.length;
      if (plain > 0) out.push(bytes.subarray(0, plain));
      const rest = Buffer.from(bytes.subarray(plain));
      if (rest.length === 0) return undefined;
      switch (mangling.how) {
        case 'flip':
          for (let i = number(mangling.oneIn); i < rest.length; i += 1 + number(2 * mangling.oneIn))
            rest[i]! ^= 1 << number(8);
          return void out.push(rest);
        case 'gap':
          return void out.push(rest.subarray(Math.min(rest.length, mangling.bytes)));
        case 'end':
          return void out.push(null);
        case 'slow':
          return dripping(rest, mangling.everyMs, out);
        case 'endless':
          return without(noise, out);
        case 'again':
          return without(rest, out);
      }
    };
    return new Transform({
      transform(bytes: Buffer, _encoding, done) {
        const later = spoil(bytes, this);
        if (later) later.then(() => done(), done);
        else done();
      },
    });
  }
}

async function dripping(bytes: Buffer, everyMs: number, out: Transform): Promise<void> {
  for (const byte of bytes) {
    if (out.destroyed) return;
    out.push(Buffer.of(byte));
    await new Promise((resolve) => setTimeout(resolve, everyMs));
  }
}

/** Goes on until the other side has gone; no faster than it takes it. */
async function without(bytes: Buffer, out: Transform): Promise<void> {
  while (!out.destroyed) {
    if (out.readableLength < 1 << 20) out.push(bytes);
    await new Promise((resolve) => setImmediate(resolve));
  }
}
