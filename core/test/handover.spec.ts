import { createHmac } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import Papa from 'papaparse';
import {
  batchCsv,
  bookmarks,
  csvColumns,
  hashedName,
  isJumpHost,
  knownHosts,
  makeHostKey,
  sshConfig,
  type CsvColumn,
  type HandoverDevice,
  type Plan,
  whatStays,
} from '../src/index';
import { soundPlan } from './helpers/plan';
import { handed, handedOver, handedOvers } from './helpers/handed-over';
import { attempt, inScratch, run } from './helpers/reference';
import { many } from './helpers/soak';

describe('known_hosts, as ssh-keygen -F finds it (OpenSSH)', () => {
  const lookUp = (file: string, host: string): string => run('ssh-keygen', ['-F', host, '-f', file]);
  const named = (host: string, port: number): string => (port === 22 ? host : `[${host}]:${String(port)}`);

  it('gives each device’s key under its name, its local name, its address and its alias', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'known_hosts');
      fc.assert(
        fc.property(handedOvers, (wanted) => {
          writeFileSync(file, knownHosts(wanted));
          for (const { hostName, hostKey, address, port } of wanted) {
            const hosts = [hostName, named(hostName, port), named(`${hostName}.local`, port)];
            // Two devices of a random list may share an address; then both keys stand there.
            if (address) hosts.push(named(address, port));
            for (const host of hosts) expect(lookUp(file, host)).toContain(hostKey.split(' ')[1]);
          }
        }),
        { numRuns: many(5, 15) },
      );
    });
  });

  it('gives nothing under a name that is not in the batch', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'known_hosts');
      const hostKey = makeHostKey(new Uint8Array(32).fill(3), new Uint8Array(4), '').publicLine;
      writeFileSync(file, knownHosts([handed({ hostName: 'tank-1', hostKey, address: null })]));
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
          handedOvers,
          fc.constantFrom('/srv/known_hosts', '/srv/known hosts/of tanks'),
          (wanted, known) => {
            writeFileSync(file, sshConfig(wanted, { knownHostsFile: known, jump: '' }), { mode: 0o600 });
            const ways = wanted.flatMap(({ vpnAddress, ...device }) => [
              { ...device, alias: device.hostName },
              ...(vpnAddress === null || device.otherUsers.includes('vpn')
                ? []
                : [{ ...device, alias: `vpn.${device.hostName}`, address: vpnAddress }]),
            ]);
            for (const { hostName, address, port, userName, alias } of ways) {
              const read = new Map(
                run('ssh', ['-G', '-F', file, alias])
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
            for (const { hostName, screens, otherUsers } of wanted) {
              if (screens.length === 0 || otherUsers.includes('screen')) continue;
              const said = run('ssh', ['-G', '-F', file, `screen.${hostName}`]).split('\n');
              expect(said.filter((line) => line.startsWith('localforward'))).toEqual(
                screens.map(
                  (screen) => `localforward [127.0.0.1]:${String(screen)} [127.0.0.1]:${String(screen)}`,
                ),
              );
              expect(said).toEqual(expect.arrayContaining(['sessiontype none', 'exitonforwardfailure yes']));
            }
          },
        ),
        { numRuns: many(5, 15) },
      );
    });
  });
});

describe('the table', () => {
  it('reads back what was written, whatever is in a cell; what a spreadsheet would run begins with a quote', () => {
    fc.assert(
      fc.property(fc.array(handedOver, { maxLength: 5 }), (rows) => {
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
    mark: fc.oneof(fc.constant('7KQ4J'), fc.string({ unit: 'binary', maxLength: 10 })),
    hostKey: fc.oneof(
      fc.constant('ssh-ed25519 AAAA\n* ssh-ed25519 BBBB'),
      fc.constant(makeHostKey(new Uint8Array(32), new Uint8Array(4), '').publicLine),
    ),
    address: fc.oneof(fc.constant(null), fc.constant('10.0.0.1\nProxyCommand x'), fc.ipV4()),
    port: fc.constant(22),
    vpnAddress: fc.oneof(fc.constant(null), fc.constant('10.0.0.1\nProxyCommand x'), fc.ipV4()),
    userName: fc.oneof(fc.constant('keeper\nProxyCommand x'), fc.string({ maxLength: 12 })),
    screens: fc.constant([5900]),
    copiedTo: fc.array(fc.string({ unit: 'binary', maxLength: 20 }), { maxLength: 2 }),
  });
  const good: HandoverDevice = handed();

  /** What the client configuration says besides of a device whose screen's port is carried. */
  const ofScreens = new Set(['LocalForward', 'ExitOnForwardFailure', 'SessionType']);
  /** One of them all in all sound, as chance makes it once in a thousand runs. */
  const sound = {
    hostName: '0',
    mark: '',
    hostKey: makeHostKey(new Uint8Array(32), new Uint8Array(4), '').publicLine,
    address: null,
    port: 22 as const,
    vpnAddress: null,
    userName: 'a',
    screens: [5900] as const,
    copiedTo: [],
  };

  it('begin no line of their own in files for OpenSSH, and take nothing from the devices beside them', () => {
    fc.assert(
      fc.property(hostile, (spoilt) => {
        const bad = handed(spoilt);
        const config = sshConfig([bad, good], { knownHostsFile: '/k', jump: '' });
        const keywords = config
          .split(/[\r\n\u0085\u2028\u2029]/)
          .filter((line) => line !== '' && !line.startsWith('#'))
          .map((line) => line.trim().split(' ')[0]);
        expect(new Set(keywords.filter((word) => !ofScreens.has(word ?? '')))).toEqual(
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
        expect(known.at(-1)).toBe(`tank-07,tank-07.local,10.0.0.7 ${good.hostKey} 7KQ4J`);
      }),
      { examples: [[sound]] },
    );
  });

  it('are said to be left out; ssh -G (OpenSSH) reads the rest as it was', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'config');
      const bad = { ...good, hostName: 'tank-01\nHost *\n    ProxyCommand touch /tmp/x' };
      const text = sshConfig([bad, good], { knownHostsFile: '/k', jump: '' });
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
    for (const text of [knownHosts([copied]), sshConfig([copied], { knownHostsFile: '/k', jump: '' })])
      expect(text).toContain(
        '# without address: tank-07 (mark 7KQ4J), since its card was copied: its key signs at 10.0.0.7 and 10.0.0.9',
      );
  });
});

describe('more of the files for OpenSSH', () => {
  it('hashes a name as the format’s own example does (sshd(8); HMAC-SHA1 by node:crypto)', () => {
    const salt = new Uint8Array(20).fill(5);
    const mac = createHmac('sha1', salt).update('tank-07').digest('base64');
    expect(hashedName('tank-07', salt)).toBe(`|1|${Buffer.from(salt).toString('base64')}|${mac}`);
  });

  it('gives each further user a name of its own, and goes through another computer (ssh -G)', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'config');
      const device = handed({ otherUsers: ['mara', 'keeper', 'x\nHost *'] });
      writeFileSync(file, sshConfig([device], { knownHostsFile: '/k', jump: 'gate@hub.example:2200' }));
      const read = (name: string): string => run('ssh', ['-G', '-F', file, name]);
      expect(read('mara.tank-07')).toMatch(/^user mara$/m);
      expect(read('mara.tank-07')).toMatch(/^hostkeyalias tank-07$/m);
      expect(read('tank-07')).toMatch(/^user keeper$/m);
      expect(read('tank-07')).toMatch(/^proxyjump gate@hub\.example:2200$/m);
      expect(read('elsewhere')).not.toContain('proxyjump');
      // By an Include in another file (ssh_config(5)).
      const outer = join(folder, 'outer');
      writeFileSync(outer, `Include "${file}"\nHost *\n    User nobody\n`);
      expect(run('ssh', ['-G', '-F', outer, 'tank-07'])).toMatch(/^user keeper$/m);
    });
  });

  it('takes no word of a configuration for a jump host', () => {
    for (const good of ['hub', 'gate@hub.example', 'gate@hub.example:2222', '192.0.2.1', '[2001:db8::1]:22'])
      expect(isJumpHost(good)).toBe(true);
    for (const bad of [
      '',
      'hub\nProxyCommand x',
      'a b',
      '-oProxyCommand=x',
      'hub:0',
      'hub:70000',
      'none,x',
      'a@b@c',
      'hub;id',
    ])
      expect(isJumpHost(bad)).toBe(false);
  });

  it('has the columns of the table as they were chosen', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.constantFrom(...(Object.keys(csvColumns) as CsvColumn[])), { minLength: 1 }),
        (columns) => {
          const text = batchCsv([handed()], columns);
          const { data } = Papa.parse<string[]>(text.replace(/\r\n$/, ''), { newline: '\r\n' });
          expect(data[0]).toEqual(columns.map((column) => csvColumns[column][0]));
          expect(data[1]).toHaveLength(columns.length);
        },
      ),
      { numRuns: many(10, 30) },
    );
  });
});

describe('bookmarks, as Python reads them (xml.etree, urllib)', () => {
  const read = (path: string): [string, string | null, string][] =>
    JSON.parse(
      run('/usr/bin/python3', [
        '-c',
        `import sys, json, xml.etree.ElementTree as tree
from urllib.parse import urlsplit
out = []
for mark in tree.parse(sys.argv[1]).getroot().iter('bookmark'):
    at = urlsplit(mark.get('href'))
    assert at.scheme in ('ssh', 'vnc') and at.path == '' and at.query == ''
    out.append([mark.find('title').text, at.username, f"{at.hostname} {at.port or 22}"])
print(json.dumps(out))`,
        path,
      ]),
    ) as [string, string | null, string][];

  it('lead to each device as its user, whatever the texts beside it try to be', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'batch.xbel');
      fc.assert(
        fc.property(handedOvers, fc.string({ unit: 'grapheme', maxLength: 30 }), (devices, title) => {
          writeFileSync(file, bookmarks(devices, title));
          expect(read(file)).toEqual(
            devices.flatMap(({ hostName, userName, address, port, screens }) => [
              [hostName, userName, `${address ?? `${hostName}.local`} ${String(port)}`],
              // What has no address of its own kind stands in the client configuration alone.
              ...screens
                .filter((screen) => screen !== 3389)
                .map((screen) => [`${hostName}, screen`, null, `127.0.0.1 ${String(screen)}`]),
            ]),
          );
        }),
        { numRuns: many(8, 25) },
      );
      const bad = { ...handed(), hostName: 'x -->' };
      writeFileSync(file, bookmarks([bad, handed({ address: 'fd00::7' })], '<a>'));
      expect(read(file)).toEqual([['tank-07', 'keeper', 'fd00::7 22']]);
    });
  });
});

describe('what stays when a card is written again', () => {
  it('is said as the plan has it, and of what the bench forgot nothing is promised', () => {
    const plan = soundPlan(1);
    const [device] = plan.devices;
    const words = (change: Partial<Plan> = {}, forgotten = false): string => {
      const { stays, goes } = whatStays({ ...plan, ...change }, device!, forgotten);
      return `${stays.join('; ')} | ${goes.join('; ')}`;
    };
    expect(words()).toMatch(/its mark .*host key.* \| everything that is on the card/);
    expect(words()).not.toMatch(/password|VPN/);
    expect(words({ vpn: { ...plan.vpn, wanted: true } })).toMatch(/address in the VPN.* \|/);
    expect(words({ access: { ...plan.access, passwordLogin: true, passwordScope: 'each' } })).toMatch(
      /its own password.* \|/,
    );
    expect(words({}, true)).toMatch(/\| its host key: the bench forgot/);
  });
});
