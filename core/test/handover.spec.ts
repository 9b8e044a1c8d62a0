import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import Papa from 'papaparse';
import { batchCsv, knownHosts, makeHostKey, sshConfig, type CsvDevice, type LoginTarget } from '../src/index';
import { attempt, inScratch, run } from './helpers/reference';

/** Targets as plans give them: standing names, any address, any port. */
const target = fc.record({
  hostName: fc.stringMatching(/^[a-z][a-z0-9-]{0,20}[a-z0-9]$/),
  mark: fc.constant('7KQ4M'),
  hostKey: fc
    .uint8Array({ minLength: 32, maxLength: 32 })
    .map((seed) => makeHostKey(seed, new Uint8Array(4), '').publicLine),
  address: fc.option(fc.ipV4(), { nil: null }),
  port: fc.oneof(fc.constant(22), fc.integer({ min: 1, max: 65_535 })),
  userName: fc.stringMatching(/^[a-z][a-z0-9_-]{0,10}$/),
  copiedTo: fc.constant([]),
});
const targets = fc.uniqueArray(target, { minLength: 1, maxLength: 5, selector: ({ hostName }) => hostName });

describe('known_hosts, as ssh-keygen -F finds it (OpenSSH)', () => {
  const lookUp = (file: string, host: string): string => run('ssh-keygen', ['-F', host, '-f', file]);
  const named = (host: string, port: number): string => (port === 22 ? host : `[${host}]:${String(port)}`);

  it('gives each device’s key under its name, its local name, its address and its alias', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'known_hosts');
      fc.assert(
        fc.property(targets, (wanted: LoginTarget[]) => {
          writeFileSync(file, knownHosts(wanted));
          for (const { hostName, hostKey, address, port } of wanted) {
            const hosts = [hostName, named(hostName, port), named(`${hostName}.local`, port)];
            // Two devices of a random list may share an address; then both keys stand there.
            if (address) hosts.push(named(address, port));
            for (const host of hosts) expect(lookUp(file, host)).toContain(hostKey.split(' ')[1]);
          }
        }),
        { numRuns: 15 },
      );
    });
  });

  it('gives nothing under a name that is not in the batch', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'known_hosts');
      const hostKey = makeHostKey(new Uint8Array(32).fill(3), new Uint8Array(4), '').publicLine;
      writeFileSync(
        file,
        knownHosts([
          {
            hostName: 'tank-1',
            mark: 'M',
            hostKey,
            address: null,
            port: 22,
            userName: 'keeper',
            copiedTo: [],
          },
        ]),
      );
      for (const host of ['tank-11', 'tank', 'tank-1.', '127.0.0.1'])
        expect(attempt('ssh-keygen', ['-F', host, '-f', file]).code).toBe(1);
    });
  });
});

describe('the client configuration, as ssh -G reads it (OpenSSH)', () => {
  it('says where to go, as whom, and to be strict', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'ssh_config');
      fc.assert(
        fc.property(
          targets,
          fc.constantFrom('/srv/known_hosts', '/srv/known hosts/of tanks'),
          (wanted: LoginTarget[], known) => {
            writeFileSync(file, sshConfig(wanted, known), { mode: 0o600 });
            for (const { hostName, address, port, userName } of wanted) {
              const read = new Map(
                run('ssh', ['-G', '-F', file, hostName])
                  .split('\n')
                  .map((line): [string, string] => [
                    line.split(' ')[0] ?? '',
                    line.slice(line.indexOf(' ') + 1),
                  ]),
              );
              expect(read.get('hostname')).toBe(address ?? `${hostName}.local`);
              expect(read.get('port')).toBe(String(port));
              expect(read.get('user')).toBe(userName);
              expect(read.get('hostkeyalias')).toBe(hostName);
              expect(read.get('userknownhostsfile')).toBe(known);
              expect(read.get('stricthostkeychecking')).toBe('true');
            }
          },
        ),
        { numRuns: 15 },
      );
    });
  });
});

describe('the table', () => {
  const text = fc.string({ unit: 'grapheme', maxLength: 12 }).filter((value) => !/[\r]/.test(value));
  const row = fc.record({
    nest: text,
    mark: text,
    hostName: text,
    role: text,
    state: text,
    address: text,
    hardwareAddress: text,
    hostKeyFingerprint: text,
    userName: text,
    remark: text,
  });

  it('reads back what was written, whatever is in a cell; what a spreadsheet would run begins with a quote', () => {
    fc.assert(
      fc.property(fc.array(row, { maxLength: 5 }), (rows: CsvDevice[]) => {
        const { data } = Papa.parse<string[]>(batchCsv(rows).replace(/\r\n$/, ''), { newline: '\r\n' });
        expect(data).toHaveLength(rows.length + 1);
        rows.forEach((device, index) => {
          const cells = data[index + 1] ?? [];
          expect(cells).toHaveLength(10);
          expect(cells[2]?.replace(/^'(?=[=+\-@\t\r])/, '')).toBe(device.hostName);
          expect(cells.every((cell) => !/^[=+\-@\t\r]/.test(cell))).toBe(true);
        });
      }),
    );
  });
});

describe('names that were never checked', () => {
  /** Whatever can stand in a row of the database: also line ends and words of the files themselves. */
  const hostile = fc.record({
    hostName: fc.oneof(
      fc.constant('tank-01\nHost *\n    ProxyCommand touch /tmp/x\n#'),
      fc.constant('*'),
      fc.string({ unit: 'binary', maxLength: 30 }),
    ),
    mark: fc.oneof(fc.constant('7KQ4M'), fc.string({ unit: 'binary', maxLength: 10 })),
    hostKey: fc.oneof(
      fc.constant('ssh-ed25519 AAAA\n* ssh-ed25519 BBBB'),
      fc.constant(makeHostKey(new Uint8Array(32), new Uint8Array(4), '').publicLine),
    ),
    address: fc.oneof(fc.constant(null), fc.constant('10.0.0.1\nProxyCommand x'), fc.ipV4()),
    port: fc.constant(22),
    userName: fc.oneof(fc.constant('keeper\nProxyCommand x'), fc.string({ maxLength: 12 })),
    copiedTo: fc.array(fc.string({ unit: 'binary', maxLength: 20 }), { maxLength: 2 }),
  });
  const good: LoginTarget = {
    hostName: 'tank-07',
    mark: '7KQ4M',
    hostKey: makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), '').publicLine,
    address: '10.0.0.7',
    port: 22,
    userName: 'keeper',
    copiedTo: [],
  };

  it('begin no line of their own in files for OpenSSH, and take nothing from the devices beside them', () => {
    fc.assert(
      fc.property(hostile, (bad) => {
        const config = sshConfig([bad, good], '/k');
        const keywords = config
          .split(/[\r\n\u0085\u2028\u2029]/)
          .filter((line) => line !== '' && !line.startsWith('#'))
          .map((line) => line.trim().split(' ')[0]);
        expect(new Set(keywords)).toEqual(
          new Set([
            'Host',
            'HostName',
            'Port',
            'User',
            'HostKeyAlias',
            'HostKeyAlgorithms',
            'UserKnownHostsFile',
            'StrictHostKeyChecking',
          ]),
        );
        const known = knownHosts([bad, good])
          .split(/[\r\n\u0085\u2028\u2029]/)
          .filter((line) => line !== '' && !line.startsWith('#'));
        for (const line of known) expect(line.split(' ')[0]).not.toMatch(/[*?!]/);
        expect(known.at(-1)).toBe(`tank-07,tank-07.local,10.0.0.7 ${good.hostKey} 7KQ4M`);
      }),
    );
  });

  it('are said to be left out; ssh -G (OpenSSH) reads the rest as it was', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'config');
      const bad = { ...good, hostName: 'tank-01\nHost *\n    ProxyCommand touch /tmp/x' };
      const text = sshConfig([bad, good], '/k');
      expect(text).toContain('# left out: tank-01?Host *?');
      expect(text).toContain('since its host name is none');
      expect(knownHosts([bad, good])).toContain('# left out: tank-01?Host *?');
      writeFileSync(file, text);
      const read = run('ssh', ['-G', '-F', file, 'tank-07']);
      expect(read).toContain('hostname 10.0.0.7');
      expect(read).not.toContain('proxycommand');
    });
  });

  it('of a device whose card was copied: the file says at which addresses its key signs', () => {
    const copied = { ...good, address: null, copiedTo: ['10.0.0.7', '10.0.0.9'] };
    for (const text of [knownHosts([copied]), sshConfig([copied], '/k')])
      expect(text).toContain(
        '# without address: tank-07 (mark 7KQ4M), since its card was copied: its key signs at 10.0.0.7 and 10.0.0.9',
      );
  });
});
