import { createServer, type AddressInfo, type Server, Socket } from 'node:net';
import { execFileSync } from 'node:child_process';
import { generateKeyPairSync, randomBytes } from 'node:crypto';
import ssh2 from 'ssh2';
import { makeHostKey } from '@nest-mark/core';
import { fetchHostKey, parseNeighbours, probeTcp, sweep, type SweepHit } from '../src/index';

const closers: (() => void)[] = [];
afterEach(() => {
  for (const close of closers.splice(0)) close();
});

function listen(server: Server | ssh2.Server, address = '127.0.0.1'): Promise<number> {
  closers.push(() => server.close());
  return new Promise((resolve) =>
    server.listen(0, address, () => resolve((server.address() as AddressInfo).port)),
  );
}

const tcp = (onSocket: (socket: Socket) => void): Server =>
  createServer((socket) => {
    socket.on('error', () => undefined);
    onSocket(socket);
  });

const sshServer = (privateKey: string): ssh2.Server =>
  new ssh2.Server({ hostKeys: [privateKey] }, (connection) => connection.on('error', () => undefined));

describe('the TCP probe', () => {
  it('tells open with greeting, open and silent, and refused apart', async () => {
    const greets = await listen(tcp((socket) => socket.write('SSH-2.0-test\r\nmore')));
    const mute = await listen(tcp(() => undefined));
    expect(await probeTcp('127.0.0.1', greets)).toEqual({
      address: '127.0.0.1',
      answer: 'open',
      banner: 'SSH-2.0-test',
    });
    expect(await probeTcp('127.0.0.1', mute, 500, 100)).toEqual({
      address: '127.0.0.1',
      answer: 'open',
      banner: null,
    });
    const closed = await listen(createServer());
    closers.pop()?.();
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect((await probeTcp('127.0.0.1', closed)).answer).toBe('refused');
  });
});

describe('host keys', () => {
  it('are proven by a server that holds them, and equal to what ssh-keyscan sees', async () => {
    const key = makeHostKey(randomBytes(32), randomBytes(4), 'x');
    const port = await listen(sshServer(key.privateText));
    expect(await fetchHostKey('127.0.0.1', port)).toEqual({
      hostKey: key.publicLine.split(' ').slice(0, 2).join(' '),
      proven: true,
    });
    const other = generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey.export({
      type: 'pkcs1',
      format: 'pem',
    });
    const rsaPort = await listen(sshServer(other.toString()));
    const shown = await fetchHostKey('127.0.0.1', rsaPort);
    expect(shown?.hostKey.startsWith('ssh-rsa ')).toBe(true);
    expect(shown?.proven).toBe(true);
  });

  it('are not proven by an impostor who shows the public key but cannot sign', async () => {
    const victim = makeHostKey(randomBytes(32), randomBytes(4), 'victim');
    const own = makeHostKey(randomBytes(32), randomBytes(4), 'impostor');
    // The impostor's server runs with its own key, but puts the victim's public half on the wire in its place.
    const real = await listen(sshServer(own.privateText));
    const blob = (line: string): Buffer => Buffer.from(line.split(' ')[1] ?? '', 'base64');
    const impostor = tcp((socket) => {
      const onward = new Socket().connect(real, '127.0.0.1');
      onward.on('error', () => undefined);
      socket.pipe(onward);
      onward.on('data', (data: Buffer) => {
        const at = data.indexOf(blob(own.publicLine));
        if (at >= 0) blob(victim.publicLine).copy(data, at);
        socket.write(data);
      });
      onward.on('close', () => socket.destroy());
    });
    const shown = await fetchHostKey('127.0.0.1', await listen(impostor), 1);
    expect(shown?.hostKey).toBe(victim.publicLine.split(' ').slice(0, 2).join(' '));
    expect(shown?.proven).toBe(false);
  });

  it('are asked for again when a restarting service resets the first connections', async () => {
    const key = makeHostKey(randomBytes(32), randomBytes(4), 'x');
    const real = await listen(sshServer(key.privateText));
    let refusals = 2;
    const flaky = tcp((socket) => {
      if (refusals-- > 0) {
        socket.write('SSH-2.0-starting\r\n', () => socket.resetAndDestroy());
        return;
      }
      const onward = new Socket().connect(real, '127.0.0.1');
      onward.on('error', () => undefined);
      socket.pipe(onward).pipe(socket);
    });
    expect((await fetchHostKey('127.0.0.1', await listen(flaky)))?.proven).toBe(true);
  });
});

describe('the sweep', () => {
  it('finds the one host of a /24 by its key and reports progress; stops when asked', async () => {
    const key = makeHostKey(randomBytes(32), randomBytes(4), 'x');
    const port = await listen(sshServer(key.privateText), '127.41.3.9');
    const addresses = Array.from({ length: 254 }, (_, at) => `127.41.3.${String(at + 1)}`);
    let last = 0;
    const hits: SweepHit[] = [];
    const onHit = (hit: SweepHit): void => void hits.push(hit);
    await sweep(addresses, port, { onHit, onProgress: ({ done }) => (last = done) });
    expect(hits).toMatchObject([{ address: '127.41.3.9', port, key: { proven: true } }]);
    expect(last).toBe(254);
    const stop = new AbortController();
    stop.abort();
    const stopped = await sweep(addresses, port, { onHit, signal: stop.signal });
    expect([stopped.done, hits.length]).toEqual([0, 1]);
  });
});

describe('the neighbour table', () => {
  it('is read as iproute2 prints it; incomplete entries are left out', () => {
    const printed =
      '[{"dst":"10.0.0.7","dev":"eth0","lladdr":"00:00:5E:00:53:07","state":["REACHABLE"]},{"dst":"10.0.0.8","dev":"eth0","state":["INCOMPLETE"]}]';
    expect([...parseNeighbours(printed)]).toEqual([['10.0.0.7', '00:00:5e:00:53:07']]);
    const six =
      '[{"dst":"fe80::5eff:fe00:5307","dev":"eth0","lladdr":"02:00:5E:00:53:07","state":["REACHABLE"]},{"dst":"fd00::7","dev":"eth0","lladdr":"02:00:5e:00:53:07","state":["STALE"]}]';
    expect([...parseNeighbours(six).keys()]).toEqual(['fe80::5eff:fe00:5307%eth0', 'fd00::7']);
    expect(parseNeighbours('').size).toBe(0);
    expect(() => parseNeighbours('{"dst":1}')).toThrow();
    // The real command, for its shape.
    expect(() => parseNeighbours(execFileSync('ip', ['-j', 'neigh'], { encoding: 'utf8' }))).not.toThrow();
  });
});
