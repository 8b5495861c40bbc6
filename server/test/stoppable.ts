import { connect, createServer, type Server, type Socket } from 'node:net';

/** A way to a database that can be made to hang: connections stand, new ones are accepted, nothing passes. */
export class StoppableDatabase {
  private readonly sockets = new Set<Socket>();
  private hung = false;

  private constructor(
    private readonly server: Server,
    readonly url: string,
  ) {}

  static async before(databaseUrl: string): Promise<StoppableDatabase> {
    const to = new URL(databaseUrl);
    const server = createServer();
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    const address = server.address() as { port: number };
    const from = new URL(databaseUrl);
    from.port = String(address.port);
    const way = new StoppableDatabase(server, from.href);
    server.on('connection', (near) => {
      const far = connect(Number(to.port), to.hostname);
      for (const [a, b] of [
        [near, far],
        [far, near],
      ] as const) {
        way.sockets.add(a);
        a.on('data', (piece) => b.write(piece));
        a.on('close', () => (way.sockets.delete(a), b.destroy()));
        a.on('error', () => b.destroy());
        if (way.hung) a.pause();
      }
    });
    return way;
  }
  hang(): void {
    this.hung = true;
    for (const s of this.sockets) s.pause();
  }
  goOn(): void {
    this.hung = false;
    for (const s of this.sockets) s.resume();
  }
  async end(): Promise<void> {
    for (const s of this.sockets) s.destroy();
    await new Promise((r) => this.server.close(r));
  }
}
