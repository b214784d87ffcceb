import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';

export type LinkKind = 'adb' | 'fastboot' | 'loader';

/** What answers on a link, on the socket that was accepted or on another that it gives back. */
export type Daemon = (accepted: Socket) => Socket;

/** The ports of a simulated phone, and what is connected to them. */
export class PhonePorts {
  private readonly sockets = new Set<Socket>();
  private readonly servers: Readonly<Record<LinkKind, Server>>;

  /** @param daemonOf what answers now; undefined where nothing does */
  constructor(private readonly daemonOf: (kind: LinkKind) => Daemon | undefined) {
    const server = (kind: LinkKind) =>
      createServer({ pauseOnConnect: kind === 'adb' }, (socket) => this.accept(kind, socket));
    this.servers = { adb: server('adb'), fastboot: server('fastboot'), loader: server('loader') };
  }

  /** Binds to loopback. @param port first of three; 0 for any */
  async listen(port: number): Promise<void> {
    for (const [i, server] of Object.values(this.servers).entries()) {
      await new Promise<void>((resolve, reject) => {
        server.once('error', reject);
        server.listen(port && port + i, '127.0.0.1', resolve);
      });
    }
  }

  address(kind: LinkKind): string {
    return `127.0.0.1:${(this.servers[kind].address() as AddressInfo | null)?.port ?? 0}`;
  }

  /** Cuts whatever is connected off. */
  drop(): void {
    for (const socket of this.sockets) socket.destroy();
    this.sockets.clear();
  }

  async close(): Promise<void> {
    this.drop();
    for (const server of Object.values(this.servers)) await new Promise((resolve) => server.close(resolve));
  }

  private accept(kind: LinkKind, accepted: Socket): void {
    const answer = this.daemonOf(kind);
    if (!answer) {
      accepted.destroy();
      return;
    }
    const socket = answer(accepted);
    this.sockets.add(socket);
    socket.on('error', () => socket.destroy());
    socket.on('close', () => this.sockets.delete(socket));
  }
}
