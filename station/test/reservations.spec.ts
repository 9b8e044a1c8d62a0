import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { dnsmasqHosts, iscHosts, keaReservations } from '@nest-mark/core';
import { handedOvers } from '../../core/test/helpers/handed-over';
import { libraries, program } from './helpers/programs';

/** Syntax checks of the address servers themselves, all from Debian's packages. */
function checked(name: string, args: readonly string[]): { code: number | null; output: string } {
  const path = program(name);
  if (path === null) throw new Error(`${name} is not here; npm test unpacks it when it runs as root`);
  const { status, stdout, stderr, error } = spawnSync(path, args, {
    encoding: 'utf8',
    env: { ...process.env, LD_LIBRARY_PATH: libraries, KEA_LOCKFILE_DIR: 'none', KEA_PIDFILE_DIR: tmpdir() },
  });
  if (error) throw error;
  return { code: status, output: stdout + stderr };
}

const asRoot = process.getuid?.() === 0 ? describe : describe.skip;

asRoot('reservations of addresses, whatever the plan says', () => {
  let folder = '';
  beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'nest-mark-test-'))));
  afterEach(() => rmSync(folder, { recursive: true, force: true }));
  const devices = handedOvers.map((some) =>
    some.map((device, at) => ({ ...device, address: `192.0.2.${String(at + 10)}` })),
  );

  it('are taken by dnsmasq', () => {
    const file = join(folder, 'conf');
    fc.assert(
      fc.property(devices, (some) => {
        writeFileSync(file, `dhcp-range=192.0.2.10,192.0.2.200\n${dnsmasqHosts(some)}`);
        expect(checked('dnsmasq', ['--test', `--conf-file=${file}`])).toMatchObject({ code: 0 });
      }),
      { numRuns: 8 },
    );
  });

  it('are taken by ISC’s server', () => {
    const file = join(folder, 'conf');
    fc.assert(
      fc.property(devices, (some) => {
        writeFileSync(file, `subnet 192.0.2.0 netmask 255.255.255.0 {}\n${iscHosts(some)}`);
        writeFileSync(join(folder, 'leases'), '');
        const result = checked('dhcpd', ['-t', '-cf', file, '-lf', join(folder, 'leases')]);
        expect(result).toMatchObject({ code: 0 });
      }),
      { numRuns: 8 },
    );
  });

  it('are taken by Kea', () => {
    const file = join(folder, 'conf');
    fc.assert(
      fc.property(devices, (some) => {
        writeFileSync(
          file,
          `{ "Dhcp4": { "interfaces-config": { "interfaces": [] }, "lease-database": { "type": "memfile", "persist": false },
          "subnet4": [ { "subnet": "192.0.2.0/24",\n${keaReservations(some)} } ] } }`,
        );
        expect(checked('kea-dhcp4', ['-t', file])).toMatchObject({ code: 0 });
      }),
      { numRuns: 6 },
    );
  });
});
