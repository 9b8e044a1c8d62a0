import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer as createPages } from 'node:http';
import { createServer as createEncrypted } from 'node:https';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { loginWays, probeTcp, speaksAt } from '../src/index';
import { libraries, program } from './helpers/programs';

/** What speaks on a port, asked of real programs where Debian has them, of their published handshakes otherwise. */

const address = '127.61.84.1';
const open: { close(): unknown }[] = [];
const running: ChildProcess[] = [];
let folder = '';
beforeAll(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'))));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
afterEach(async () => {
  for (const one of open.splice(0)) one.close();
  for (const child of running.splice(0)) {
    child.kill();
    if (child.exitCode === null) await new Promise((resolve) => child.once('exit', resolve));
  }
});

async function serve(server: Server, port = 0): Promise<number> {
  open.push(server);
  await new Promise<void>((resolve) => server.listen(port, address, resolve));
  return (server.address() as { port: number }).port;
}

/** A service that says something at once, and something to whoever speaks to it. */
const saying = (first: string, then: (heard: Buffer, socket: Socket) => void = () => undefined): Server =>
  createServer((socket) => {
    socket.on('error', () => undefined);
    if (first !== '') socket.write(Buffer.from(first, 'latin1'));
    socket.on('data', (data) => then(data, socket));
  });

/**
 * Starts a program of Debian's, and waits until it listens. It sees an account that OpenSSH's service wants, and a /run of
 * its own: nothing of this computer is changed.
 */
async function started(name: string, args: readonly string[], port: number): Promise<void> {
  const path = program(name);
  if (path === null) throw new Error(`${name} is not here; npm test unpacks it when it runs as root`);
  const accounts = join(folder, 'passwd');
  writeFileSync(
    accounts,
    `${readFileSync('/etc/passwd', 'utf8').replace(/^sshd:.*\n/gm, '')}sshd:x:64998:65534::/run/sshd:/bin/false\n`,
  );
  const alone = 'mount --bind "$0" /etc/passwd && mount -t tmpfs tmpfs /run && mkdir /run/sshd && exec "$@"';
  const child = spawn('unshare', ['-m', 'sh', '-c', alone, accounts, path, ...args], {
    stdio: ['ignore', 'ignore', 'pipe'],
    env: { ...process.env, LD_LIBRARY_PATH: libraries },
  });
  let said = '';
  child.stderr.on('data', (data: Buffer) => (said += data.toString()));
  running.push(child);
  while ((await probeTcp(address, port, 1500, 1)).answer !== 'open') {
    if (child.exitCode !== null) throw new Error(`${name} ended: ${said}`);
    await new Promise((wake) => setTimeout(wake, 30));
  }
}

describe('what speaks on a port', () => {
  it('pages: open ones, ones that ask, ones that lead to a login; nobody at a closed port', async () => {
    const pages = (status: number, body: string, headers = {}): Promise<number> =>
      serve(
        createPages((_request, response) => {
          response.writeHead(status, headers);
          response.end(body);
        }),
      );
    const told = async (port: Promise<number>): Promise<unknown> => {
      const { speaks, encrypted, asksLogin } = (await speaksAt(address, await port))!;
      return [speaks, encrypted, asksLogin];
    };
    expect(await told(pages(200, '<h1>Tank levels</h1>'))).toEqual(['http', false, false]);
    expect(await told(pages(200, '<form><input type="password">'))).toEqual(['http', false, true]);
    expect(await told(pages(401, ''))).toEqual(['http', false, true]);
    expect(await told(pages(302, '', { Location: '/login' }))).toEqual(['http', false, true]);
    expect(await told(pages(302, '', { Location: '/tanks' }))).toEqual(['http', false, null]);
    expect(await speaksAt(address, 1)).toBeNull();
  });

  it('pages under TLS, with a certificate that nobody signed (openssl)', async () => {
    const [key, cert] = [join(folder, 'key.pem'), join(folder, 'cert.pem')];
    execFileSync(
      'openssl',
      [
        ...['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-subj', '/CN=board'],
        ...['-keyout', key, '-out', cert],
      ],
      { stdio: 'ignore' },
    );
    const port = await serve(
      createEncrypted({ key: readFileSync(key), cert: readFileSync(cert) }, (_request, response) =>
        response.end('tanks'),
      ),
    );
    expect(await speaksAt(address, port)).toMatchObject({
      speaks: 'http',
      encrypted: true,
      asksLogin: false,
    });
  });

  it('remote screens, by the ways that they offer (RFC 6143; the old version tells one way itself)', async () => {
    const screen = (ways: string): Promise<number> =>
      serve(saying('RFB 003.008\n', (_heard, socket) => socket.write(ways, 'latin1')));
    expect(await speaksAt(address, await screen('\x01\x01'))).toMatchObject({
      speaks: 'rfb',
      encrypted: false,
      asksLogin: false,
    });
    expect(await speaksAt(address, await screen('\x01\x02'))).toMatchObject({
      speaks: 'rfb',
      encrypted: false,
      asksLogin: true,
    });
    expect(await speaksAt(address, await screen('\x02\x13\x12'))).toMatchObject({
      speaks: 'rfb',
      encrypted: true,
      asksLogin: true,
    });
    expect(await speaksAt(address, await screen('\x00'))).toMatchObject({ speaks: 'rfb', encrypted: null });
    const old = await serve(
      saying('RFB 003.003\n', (_heard, socket) => socket.write('\0\0\0\x01', 'latin1')),
    );
    expect(await speaksAt(address, old)).toMatchObject({ speaks: 'rfb', asksLogin: false });
  });

  it('brokers, key stores, databases and old logins by their own handshakes', async () => {
    const broker = (code: number): Server =>
      saying('', (heard, socket) => {
        if (heard.toString('latin1', 4, 8) === 'MQTT') socket.write(Buffer.from([0x20, 2, 0, code]));
      });
    const at = await serve(broker(0), 1883);
    expect(await speaksAt(address, at)).toMatchObject({ speaks: 'mqtt', asksLogin: false });
    open.splice(0).forEach((one) => one.close());
    await serve(broker(5), 1883);
    expect(await speaksAt(address, 1883)).toMatchObject({ speaks: 'mqtt', asksLogin: true });
    await serve(
      saying('', (_heard, socket) => socket.write('-NOAUTH Authentication required.\r\n')),
      6379,
    );
    expect(await speaksAt(address, 6379)).toMatchObject({ speaks: 'redis', asksLogin: true });
    const greeting = await serve(saying('J\0\0\0\n10.11.6-Keeper\0'));
    expect(await speaksAt(address, greeting)).toMatchObject({ speaks: 'database' });
    // IAC DO TERMINAL-TYPE (RFC 854, RFC 1091).
    const telnet = await serve(saying('\xff\xfd\x18'));
    expect(await speaksAt(address, telnet)).toMatchObject({ speaks: 'telnet', encrypted: false });
    const mail = await serve(saying('220 board ESMTP\r\n'));
    expect(await speaksAt(address, mail)).toMatchObject({ speaks: 'smtp' });
  });

  it('PostgreSQL itself, through a port of its usual number', async () => {
    const url = new URL(process.env['NEST_MARK_TEST_DATABASE'] ?? 'postgres://127.0.0.1:5432');
    await serve(
      createServer((socket) => {
        const onward = connect(Number(url.port), url.hostname);
        for (const end of [socket, onward]) end.on('error', () => undefined);
        socket.pipe(onward).pipe(socket);
        socket.on('close', () => onward.destroy());
      }),
      5432,
    );
    expect(await speaksAt(address, 5432)).toMatchObject({ speaks: 'database' });
  });

  it('what prints without end, says nothing, hangs up or speaks in octets: bounded, and shown plainly', async () => {
    const endless = await serve(
      createServer((socket) => {
        socket.on('error', () => undefined);
        const chunk = Buffer.alloc(65_536, 0x1b);
        const pour = (): void => {
          while (!socket.destroyed && socket.write(chunk));
        };
        socket.on('drain', pour);
        pour();
      }),
    );
    const found = (await speaksAt(address, endless))!;
    expect(found.speaks).toBe('unknown');
    expect(found.said.length).toBeLessThanOrEqual(80);
    expect(found.said).not.toMatch(/[^\x20-\x7e·]/);
    const curt = await serve(createServer((socket) => void socket.on('error', () => undefined).end()));
    expect(await speaksAt(address, curt)).toMatchObject({ speaks: 'unknown', said: '' });
    const mute = await serve(createServer((socket) => void socket.on('error', () => undefined)));
    expect(await speaksAt(address, mute)).toMatchObject({ speaks: 'unknown', said: '' });
  });
});

const asRoot = process.getuid?.() === 0 ? describe : describe.skip;

asRoot('real services of Debian', () => {
  it('busybox’ web service', async () => {
    writeFileSync(join(folder, 'index.html'), '<h1>tanks</h1>');
    await started('busybox', ['httpd', '-f', '-p', `${address}:8080`, '-h', folder], 8080);
    expect(await speaksAt(address, 8080)).toMatchObject({
      speaks: 'http',
      encrypted: false,
      asksLogin: false,
    });
  });

  it.each(['yes', 'no'])(
    'OpenSSH’s own service tells its ways with passwords: %s; another key is refused',
    async (byPassword) => {
      const hostKey = join(folder, `host-${byPassword}`);
      execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-f', hostKey]);
      chmodSync(hostKey, 0o600);
      const config = join(folder, `sshd-${byPassword}`);
      writeFileSync(
        config,
        `HostKey ${hostKey}\nPidFile none\nUsePAM no\nPasswordAuthentication ${byPassword}\nKbdInteractiveAuthentication no\nStrictModes no\n`,
      );
      const port = byPassword === 'yes' ? 2201 : 2202;
      await started('sshd', ['-D', '-f', config, '-p', String(port), '-o', `ListenAddress=${address}`], port);
      const line = readFileSync(`${hostKey}.pub`, 'utf8').split(' ').slice(0, 2).join(' ');
      const ways = await loginWays({ address, port, hostKey: line }, 'keeper');
      expect(ways).toContain('publickey');
      expect(ways.includes('password')).toBe(byPassword === 'yes');
      expect(await speaksAt(address, port)).toMatchObject({ speaks: 'ssh', encrypted: true });
      const other = `ssh-ed25519 ${Buffer.concat([Buffer.from('0000000b7373682d6564323535313900000020', 'hex'), Buffer.alloc(32, 9)]).toString('base64')}`;
      await expect(loginWays({ address, port, hostKey: other }, 'keeper')).rejects.toMatchObject({
        fault: 'other-key',
      });
    },
  );
});
