import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net';

/** PostgreSQL's messages from the client that carry a statement (documentation, "Message Formats"). */
const QUERY = 0x51;
const PARSE = 0x50;

/**
 * Stands between a server and its database and lets connections go wrong: cuts the nth statement, or is away for a
 * while. What it passes on is not changed.
 */
export class DatabaseProxy {
  private readonly sockets = new Set<Socket>();
  private away = false;
  private fails: ((statement: string) => boolean) | null = null;
  /** Statements that passed, newest last. */
  readonly seen: string[] = [];
  cuts = 0;

  private constructor(
    private readonly server: Server,
    readonly url: string,
  ) {}

  static async before(databaseUrl: string): Promise<DatabaseProxy> {
    const target = new URL(databaseUrl);
    const server = createServer();
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const url = new URL(databaseUrl);
    url.port = String((server.address() as AddressInfo).port);
    const proxy = new DatabaseProxy(server, url.href);
    server.on('connection', (client) => proxy.pass(client, Number(target.port)));
    return proxy;
  }

  /** Cuts the connection of every statement that the function says. @returns how to stop */
  failWhen(fails: (statement: string) => boolean): () => void {
    this.fails = fails;
    return () => (this.fails = null);
  }

  /** Cuts all connections and takes no new ones until it comes back. */
  goAway(): void {
    this.away = true;
    for (const socket of this.sockets) socket.destroy();
  }

  comeBack(): void {
    this.away = false;
  }

  async close(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private pass(client: Socket, port: number): void {
    if (this.away) {
      client.destroy();
      return;
    }
    const database = connect(port, '127.0.0.1');
    const end = (): void => {
      client.destroy();
      database.destroy();
    };
    for (const socket of [client, database]) {
      this.sockets.add(socket);
      socket.on('error', end);
      socket.on('close', () => {
        this.sockets.delete(socket);
        end();
      });
    }
    client.on('data', (data: Buffer) => {
      const first = data[0];
      if (first === QUERY || first === PARSE) {
        const statement = data.toString('latin1', 5, 800).replace(/\0/g, ' ');
        this.seen.push(statement);
        if (this.fails?.(statement)) {
          this.cuts++;
          end();
          return;
        }
      }
      database.write(data);
    });
    database.pipe(client);
  }
}
