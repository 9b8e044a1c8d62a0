import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { textOf, utf8 } from '../src/bytes';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import type { FirstBootSettings } from '../src/firstboot/settings';
import { network, settings, userKey } from './helpers/plan';
import { attempt, inScratch, run, schemaSays } from './helpers/reference';

/** cloud-init's own schema and netplan, asked about every pair of settings. */

type Change = Partial<FirstBootSettings>;
const user = (change: Partial<FirstBootSettings['user']>): Change => ({
  user: { ...settings().user, ...change },
});

/** For each thing that a plan can say, the ways in which it can say it. */
const choices: Record<string, Change[]> = {
  login: [
    user({}),
    user({ passwordHash: '$6$reed$aB/cD.9', passwordLogin: true }),
    user({ keys: [], passwordHash: '$6$reed$aB/cD.9', passwordLogin: true, sudo: 'none' }),
    user({ groups: ['dialout', 'video'], sudo: 'free' }),
  ],
  others: [
    { others: [] },
    {
      others: [
        { name: 'helper', keys: [userKey], sudo: true },
        { name: 'guest', keys: [], sudo: false },
      ],
    },
  ],
  networks: [
    { networks: [] },
    { networks: [network({ hidden: true })] },
    {
      networks: [
        network({ ssid: utf8('no') }),
        network({ ssid: utf8('Østers "1" \\'), security: 'open', key: '', priority: -4 }),
      ],
    },
    { networks: [network({ security: 'wpa2-wpa3' })] },
  ],
  keyboard: [
    { keyboard: null },
    { keyboard: { layout: 'dk', variant: '' } },
    { keyboard: { layout: 'de', variant: 'nodeadkeys' } },
  ],
  wired: [
    { wired: null },
    { wired: { address: '192.168.40.21/24', gateway: '', nameServers: [] } },
    { wired: { address: '192.168.40.21/24', gateway: '192.168.40.1', nameServers: ['192.168.40.2'] } },
  ],
  refresh: [{ refresh: 'nothing' }, { refresh: 'lists' }, { refresh: 'upgrade', packages: ['git'] }],
  files: [
    { files: [] },
    { files: [{ place: 'board', path: '/etc/tank.conf', mode: '0600', content: 'a: "b"\n#\n\ttab\n' }] },
  ],
  commands: [{ commands: [] }, { commands: ['echo "it\'s: # done" > /tmp/x', 'null'] }],
  callIn: [{ callIn: null }, { callIn: { address: '192.168.40.9', port: 8722 } }],
  place: [{}, { hostName: 'null', timeZone: 'UTC', locale: 'C.UTF-8', country: 'NO' }],
};

/** Few settings in which every pair of choices of two things meets: greedily, the one with the most new pairs next. */
function pairwise(): Change[] {
  const names = Object.keys(choices);
  const open = new Set<string>();
  const pairOf = (a: number, x: number, b: number, y: number): string => [a, x, b, y].join(' ');
  for (let a = 0; a < names.length; a++)
    for (let b = a + 1; b < names.length; b++)
      for (let x = 0; x < choices[names[a]!]!.length; x++)
        for (let y = 0; y < choices[names[b]!]!.length; y++) open.add(pairOf(a, x, b, y));
  const rows: Change[] = [];
  while (open.size > 0) {
    const row: number[] = [];
    const [seed] = open;
    const [a = 0, x = 0, b = 0, y = 0] = seed!.split(' ').map(Number);
    row[a] = x;
    row[b] = y;
    for (let at = 0; at < names.length; at++) {
      if (row[at] !== undefined) continue;
      const gain = (value: number): number =>
        row.reduce(
          (sum, other, place) =>
            sum +
            (open.has(place < at ? pairOf(place, other, at, value) : pairOf(at, value, place, other))
              ? 1
              : 0),
          0,
        );
      const values = choices[names[at]!]!.map((_change, value) => value);
      row[at] = values.reduce((best, value) => (gain(value) > gain(best) ? value : best), 0);
    }
    for (let one = 0; one < row.length; one++)
      for (let two = one + 1; two < row.length; two++) open.delete(pairOf(one, row[one]!, two, row[two]!));
    rows.push(Object.assign({}, ...row.map((value, at) => choices[names[at]!]![value])) as Change);
  }
  return rows;
}

const rows = pairwise();
const fileOf = (given: FirstBootSettings, name: string): string =>
  textOf(cardFilesOf('declarative-seed', given, noBase).find(({ path }) => path === name)!.content);

describe('every pair of settings', () => {
  it(`is valid user-data to cloud-init schema, in ${String(rows.length)} files`, async () => {
    expect(rows.length).toBeGreaterThan(15);
    await inScratch((folder) => {
      const files = rows.map((change, at) => {
        const file = join(folder, `user-data-${String(at)}`);
        writeFileSync(file, fileOf(settings(change), 'user-data'));
        return file;
      });
      // One that is not valid is told as that.
      const spoilt = join(folder, 'spoilt');
      writeFileSync(spoilt, '#cloud-config\nusers: 7\n');
      const said = schemaSays([...files, spoilt]);
      expect(said.pop()).toMatch(/users: 7 is not/);
      expect(said).toEqual(files.map((file) => `Valid cloud-config: ${file}\n`));
    });
  }, 120_000);

  it('is a network-config that netplan takes, with each network and the fixed address in what it makes', async () => {
    for (const change of rows) {
      const given = settings(change);
      await inScratch((folder) => {
        mkdirSync(join(folder, 'etc/netplan'), { recursive: true });
        writeFileSync(join(folder, 'etc/netplan/50.yaml'), fileOf(given, 'network-config'), { mode: 0o600 });
        // What "netplan generate" starts, which takes a second longer to do so.
        run('/usr/libexec/netplan/generate', ['--root-dir', folder]);
        const made = (path: string): string => attempt('cat', [join(folder, path)]).output;
        if (given.networks.length > 0) {
          const supplicant = readFileSync(join(folder, 'run/netplan/wpa-wlan0.conf'), 'utf8');
          expect(supplicant.match(/network=\{/g)).toHaveLength(given.networks.length);
          for (const { key } of given.networks) expect(supplicant).toContain(key);
        }
        const wired = made('run/systemd/network/10-netplan-wired.network');
        expect(wired).toContain(given.wired ? `Address=${given.wired.address}` : 'DHCP=ipv4');
        if (given.wired?.gateway) expect(wired).toContain(`Gateway=${given.wired.gateway}`);
      });
    }
  }, 60_000);

  it.each(['netplan', 'eni'])(
    'the seed also goes through cloud-init’s own network conversion to %s',
    async (form) => {
      await inScratch((folder) => {
        const file = join(folder, 'network-config');
        const given = settings({ ...rows.find(({ wired }) => wired?.gateway), networks: [] });
        writeFileSync(file, fileOf(given, 'network-config'));
        run('cloud-init', [
          'devel',
          'net-convert',
          '-p',
          file,
          '-k',
          'yaml',
          '-d',
          join(folder, 'out'),
          '-D',
          'debian',
          '-O',
          form,
        ]);
        if (form === 'netplan') run('netplan', ['generate', '--root-dir', join(folder, 'out')]);
      });
    },
  );
});
