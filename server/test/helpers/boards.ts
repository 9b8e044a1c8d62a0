import { randomBytes } from 'node:crypto';
import { connect, createServer } from 'node:net';
import { makeHostKey, type Batch } from '@nest-mark/core';
import ssh2 from 'ssh2';
import type { TestServer } from './server';

/** Login services on loopback addresses, with keys of devices or without. */
export class Boards {
  private readonly open: { close(): unknown }[] = [];

  constructor(
    private readonly server: TestServer,
    private readonly port: number,
  ) {}

  /** The private half of a device's host key, as its card has it. */
  async keyOf(of: Batch, index: number): Promise<string> {
    const device = of.plan.devices[index]!;
    const seed = await this.server.domains.networks.vault.get(device.id, 'hostKeySeed');
    return makeHostKey(Buffer.from(seed!, 'hex'), randomBytes(4), device.mark).privateText;
  }

  /** A board at an address that signs with a key. @returns how to cut its power */
  async at(address: string, key: string): Promise<() => void> {
    const service = new ssh2.Server({ hostKeys: [key] }, (client) => {
      client.on('error', () => undefined);
      client.on('authentication', (context) => context.reject());
    });
    await new Promise<void>((resolve) => service.listen(this.port, address, () => resolve()));
    this.open.push(service);
    return () => void service.close();
  }

  /** A host that shows somebody's public key and cannot sign with it: its own is exchanged for that one on the way. */
  async impostor(address: string, shown: Buffer): Promise<void> {
    const own = makeHostKey(randomBytes(32), randomBytes(4), 'impostor');
    const blob = Buffer.from(own.publicLine.split(' ')[1] ?? '', 'base64');
    await this.at('127.0.0.1', own.privateText);
    const service = createServer((socket) => {
      const onward = connect(this.port, '127.0.0.1');
      for (const end of [socket, onward]) end.on('error', () => undefined);
      socket.pipe(onward);
      onward.on('data', (data: Buffer) => {
        const at = data.indexOf(blob);
        if (at >= 0) shown.copy(data, at);
        socket.write(data);
      });
      onward.on('close', () => socket.destroy());
    });
    await new Promise<void>((resolve) => service.listen(this.port, address, resolve));
    this.open.push(service);
  }

  keep(one: { close(): unknown }): void {
    this.open.push(one);
  }

  close(): void {
    for (const one of this.open.splice(0)) one.close();
  }
}
