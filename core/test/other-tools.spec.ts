import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { parse } from 'yaml';
import {
  credentialsCsv,
  dnsmasqHosts,
  hostsFile,
  inComment,
  inventoryIni,
  inventoryYaml,
  iscHosts,
  keaReservations,
  monitoringTargets,
  zoneLines,
  type HandoverDevice,
} from '../src/index';
import { handed, handedOvers } from './helpers/handed-over';
import { attempt, inScratch, run } from './helpers/reference';
import { many } from './helpers/soak';

const reached = (devices: readonly HandoverDevice[]): HandoverDevice[] =>
  devices.filter(({ address }) => address !== null);

interface Inventory {
  all: { children: Record<string, { hosts: Record<string, Record<string, unknown>> }> };
}

describe('files for other tools, whatever the plan says, as their own readers read them', () => {
  it('the inventory in YAML: PyYAML and yamllint (Debian), the values as they were', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'inventory.yml');
      fc.assert(
        fc.property(handedOvers, (devices) => {
          const text = inventoryYaml(devices);
          writeFileSync(file, text);
          const read = JSON.parse(
            run('/usr/bin/python3', [
              '-c',
              'import json,sys,yaml; print(json.dumps(yaml.safe_load(open(sys.argv[1], encoding="utf8"))))',
              file,
            ]),
          ) as Inventory;
          const hosts = Object.values(read.all.children).flatMap(({ hosts: some }) => Object.entries(some));
          expect(hosts).toHaveLength(reached(devices).length);
          for (const [name, values] of hosts) {
            const device = devices.find(({ hostName }) => hostName === name);
            expect(values).toMatchObject({
              ansible_host: device?.address,
              ansible_port: device?.port,
              ansible_user: device?.userName,
              // What is no letter is a question mark: readers of YAML 1.1 take U+2028 for a line end.
              mark: inComment(device?.mark ?? ''),
            });
          }
          for (const group of Object.keys(read.all.children)) expect(group).toMatch(/^[a-z_][a-z0-9_]*$/);
          expect((parse(text) as Inventory).all).toEqual(read.all);
          expect(
            attempt('yamllint', ['-d', '{extends: relaxed, rules: {line-length: disable}}', file]).code,
          ).toBe(0);
        }),
        { numRuns: many(4, 12) },
      );
    });
  });

  it('the inventory in INI: Python’s configparser and shlex read the same hosts and values', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'inventory.ini');
      const read = `import configparser,json,shlex,sys
p = configparser.RawConfigParser(allow_no_value=True, delimiters=('\\n',), comment_prefixes=('#',), strict=True)
p.optionxform = str
p.read(sys.argv[1], encoding='utf8')
out = {}
for s in p.sections():
    for line in p.options(s):
        name, *words = shlex.split(line)
        out[name] = dict(w.split('=', 1) for w in words)
print(json.dumps(out))`;
      fc.assert(
        fc.property(handedOvers, (devices) => {
          writeFileSync(file, inventoryIni(devices));
          const hosts = JSON.parse(run('/usr/bin/python3', ['-c', read, file])) as Record<
            string,
            Record<string, string>
          >;
          expect(Object.keys(hosts).sort()).toEqual(
            reached(devices)
              .map(({ hostName }) => hostName)
              .sort(),
          );
          for (const device of reached(devices))
            expect(hosts[device.hostName]).toMatchObject({
              ansible_host: device.address,
              ansible_port: String(device.port),
              ansible_user: device.userName,
            });
        }),
        { numRuns: many(4, 12) },
      );
    });
  });

  it('the zone: named-checkzone (BIND) loads it, and has each address under its name', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'zone');
      fc.assert(
        fc.property(handedOvers, fc.boolean(), (some, six) => {
          const devices = six ? some.map((device) => ({ ...device, address: '2001:db8::7' })) : some;
          writeFileSync(
            file,
            `$TTL 60\n@ IN SOA ns hostmaster 1 3600 600 86400 60\n@ IN NS ns\nns IN A 192.0.2.53\n${zoneLines(devices)}`,
          );
          const { code, output } = attempt('named-checkzone', ['-D', '-i', 'none', 'bench.example', file]);
          expect({ code, output }).toMatchObject({ code: 0 });
          for (const device of reached(devices))
            expect(output).toMatch(
              new RegExp(
                `^${device.hostName}\\.bench\\.example\\.\\s.*\\s(A|AAAA)\\s+${device.address?.replace(/\./g, '\\.') ?? ''}$`,
                'm',
              ),
            );
        }),
        { numRuns: many(5, 15) },
      );
    });
  });

  it('the hosts file has each address with its names in one line (hosts(5))', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'hosts');
      fc.assert(
        fc.property(handedOvers, (devices) => {
          writeFileSync(file, hostsFile(devices));
          for (const { hostName, address } of reached(devices)) {
            const lines = hostsFile(devices)
              .split('\n')
              .map((line) => line.replace(/#.*/, '').trim().split(/\s+/));
            expect(lines.filter(([, name]) => name === hostName)).toEqual([
              [address, hostName, `${hostName}.local`],
            ]);
          }
        }),
        { numRuns: many(10, 30) },
      );
    });
  });

  it('credentials for a password manager: Python’s csv reads each as it was, passwords to the letter', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'credentials.csv');
      const read = `import csv,json,sys
print(json.dumps(list(csv.DictReader(open(sys.argv[1], encoding='utf8', newline='')))))`;
      fc.assert(
        fc.property(
          handedOvers,
          fc.array(fc.string({ unit: 'grapheme', minLength: 1, maxLength: 30 }), {
            minLength: 6,
            maxLength: 6,
          }),
          (devices, passwords) => {
            const given = devices.map((device, at) => ({ ...device, password: passwords[at] ?? 'x' }));
            writeFileSync(file, credentialsCsv(given));
            const rows = JSON.parse(run('/usr/bin/python3', ['-c', read, file])) as Record<string, string>[];
            expect(rows.map(({ password }) => password)).toEqual(given.map(({ password }) => password));
            expect(rows.map(({ title }) => title)).toEqual(given.map(({ hostName }) => hostName));
            rows.forEach(({ url }, at) => {
              const parsed = new URL(url ?? '');
              expect(decodeURIComponent(parsed.username)).toBe(given[at]?.userName);
              expect(parsed.port).toBe(given[at]?.port === 22 ? '' : String(given[at]?.port));
            });
            for (const row of rows) expect(row['notes']).not.toMatch(/^[=+\-@]/);
          },
        ),
        { numRuns: many(5, 15) },
      );
    });
  });

  (process.getuid?.() === 0 ? it : it.skip)(
    'the hosts file: the C library’s own resolver finds each name by it (getent, in a mount namespace)',
    async () => {
      await inScratch((folder) => {
        const file = join(folder, 'hosts');
        fc.assert(
          fc.property(handedOvers, (devices) => {
            writeFileSync(file, hostsFile(devices));
            for (const { hostName, address } of reached(devices)) {
              const script = `mount --bind ${file} /etc/hosts && getent -s files hosts ${hostName}.local`;
              const [found] = run('unshare', ['-m', 'sh', '-c', script]).split(/\s+/);
              expect(found).toBe(address);
            }
          }),
          { numRuns: many(3, 8) },
        );
      });
    },
  );

  it('monitoring targets are JSON of groups with one target each', () => {
    fc.assert(
      fc.property(handedOvers, fc.integer({ min: 1, max: 65_535 }), (devices, port) => {
        const list = JSON.parse(monitoringTargets(devices, port)) as {
          targets: string[];
          labels: Record<string, string>;
        }[];
        expect(list.map(({ targets }) => targets[0])).toEqual(
          reached(devices).map(({ address }) => `${address ?? ''}:${String(port)}`),
        );
        for (const { labels } of list)
          for (const name of Object.keys(labels)) expect(name).toMatch(/^[a-z]+$/);
      }),
    );
    expect(monitoringTargets([handed({ address: '2001:db8::1' })], 9100)).toContain('"[2001:db8::1]:9100"');
  });

  it('say of each device why it is left out', () => {
    const copied = handed({ address: null, copiedTo: ['10.0.0.1', '10.0.0.2'] });
    for (const text of [
      hostsFile([copied]),
      zoneLines([copied]),
      inventoryIni([copied]),
      dnsmasqHosts([copied]),
    ])
      expect(text).toContain('its card was copied: its key signs at 10.0.0.1 and 10.0.0.2');
    expect(dnsmasqHosts([handed({ hardwareAddress: '' })])).toContain('nobody saw its hardware address');
    expect(iscHosts([handed(), handed({ hostName: 'tank-08' })])).toContain('another device of the batch');
    expect(keaReservations([handed({ address: '2001:db8::1' })])).toContain('its address is not IPv4');
  });
});
