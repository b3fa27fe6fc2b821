import { connect, createServer, type Server, type Socket } from 'node:net';

/** A way to a server that can be cut and frozen: what lies between a service and its database. */
export class ShakyNetwork {
  readonly #to: number;
  readonly #pairs = new Set<readonly [Socket, Socket]>();
  #server: Server | undefined;
  #frozen = false;
  port = 0;

  /** @param to the port on loopback that it leads to */
  constructor(to: number) {
    this.#to = to;
  }

  /** Connections are taken, at the same port as before. */
  async open(): Promise<void> {
    if (this.#server?.listening) return;
    const server = createServer((near) => {
      const far = connect(this.#to, '127.0.0.1');
      const pair = [near, far] as const;
      this.#pairs.add(pair);
      for (const [one, other] of [pair, [far, near] as const]) {
        one.on('error', () => undefined);
        one.on('close', () => {
          other.destroy();
          this.#pairs.delete(pair);
        });
        one.pipe(other);
      }
      if (this.#frozen) for (const one of pair) one.pause();
    });
    this.#server = server;
    await new Promise<void>((resolve) => server.listen(this.port, '127.0.0.1', resolve));
    this.port = (server.address() as { port: number }).port;
  }

  /** Every connection breaks off, and new ones are refused. */
  async cut(): Promise<void> {
    for (const [near, far] of this.#pairs) {
      near.destroy();
      far.destroy();
    }
    await new Promise((resolve) => this.#server?.close(resolve));
  }

  /** Nothing gets through any more, and nobody is told: new connections are taken, and lead nowhere. */
  freeze(): void {
    this.#frozen = true;
    for (const pair of this.#pairs) for (const one of pair) one.pause();
  }

  thaw(): void {
    this.#frozen = false;
    for (const pair of this.#pairs) for (const one of pair) one.resume();
  }
}
