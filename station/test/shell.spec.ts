import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import { makeHostKey } from '@nest-mark/core';
import ssh2 from 'ssh2';
import { Shell, type Login, type ShellPlace } from '../src/index';

/** Whoever answers at a board's address may say anything before it has proved its key, and after. */

const address = '127.61.88.1';
const key = makeHostKey(new Uint8Array(32).fill(6), new Uint8Array(4), '');
const hostKey = key.publicLine;
const login: Login = {
  user: 'keeper',
  key: null,
  agent: null,
  password: 'low tide at seven',
  byPassword: true,
};
const open: { close(): unknown }[] = [];
afterEach(() => {
  for (const one of open.splice(0)) one.close();
});

async function at(server: Server): Promise<ShellPlace> {
  open.push(server);
  await new Promise<void>((resolve) => server.listen(0, address, resolve));
  return { address, port: (server.address() as AddressInfo).port, hostKey };
}

/** Pours octets as long as somebody takes them. @returns how many were taken */
const pouring = (octets: string): { server: Server; taken: () => number } => {
  let taken = 0;
  const server = createServer((socket: Socket) => {
    socket.on('error', () => undefined);
    const chunk = Buffer.from(octets.repeat(Math.ceil(65_536 / octets.length)));
    const pour = (): void => {
      while (!socket.destroyed && taken < 1 << 28) {
        taken += chunk.length;
        if (!socket.write(chunk)) break;
      }
    };
    socket.on('drain', pour);
    pour();
  });
  return { server, taken: () => taken };
};

describe('a login service that is none', () => {
  it.each([
    ['lines without end before its version (RFC 4253, section 4.2)', 'hello\r\n'],
    ['one line without end', 'x'],
    ['a version without end', 'SSH-2.0-'],
  ])('and says %s is left, and little of it is taken', async (_what, octets) => {
    const { server, taken } = pouring(octets);
    await expect(Shell.open(await at(server), login)).rejects.toMatchObject({ name: 'ShellError' });
    expect(taken()).toBeLessThan(64 << 20);
  });

  it('and hangs up, or speaks in other octets, is told as away or broken off', async () => {
    const curt = createServer((socket) => void socket.on('error', () => undefined).end());
    await expect(Shell.open(await at(curt), login)).rejects.toMatchObject({ name: 'ShellError' });
    const noise = createServer((socket) => {
      socket.on('error', () => undefined);
      socket.write(Buffer.concat([Buffer.from('SSH-2.0-x\r\n'), Buffer.alloc(4096, 0xff)]));
    });
    await expect(Shell.open(await at(noise), login)).rejects.toMatchObject({ name: 'ShellError' });
  });
});

describe('a board that proved its key', () => {
  const serving = (banner: string): Server => {
    const server = new ssh2.Server({ hostKeys: [key.privateText], banner }, (client) => {
      client.on('error', () => undefined);
      client.on('authentication', (context) => {
        if (context.method === 'password') context.accept();
        else context.reject(['password']);
      });
    });
    return server;
  };

  it('may show a long banner; one of a megabyte lets nobody in, or ends in a sentence, and harms nothing', async () => {
    const shell = await Shell.open(await at(serving('Mind the tide.\n'.repeat(500))), login);
    shell.close();
    const huge = await Shell.open(await at(serving('x'.repeat(1 << 20))), login).then(
      (one) => {
        one.close();
        return 'in';
      },
      (error: unknown) => (error as Error).name,
    );
    expect(['in', 'ShellError']).toContain(huge);
  });
});
