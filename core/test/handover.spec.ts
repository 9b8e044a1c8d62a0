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
