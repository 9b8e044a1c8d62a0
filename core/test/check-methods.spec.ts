import fc from 'fast-check';
import { toHex, utf8 } from '../src/bytes';
import type { CheckFinding } from '../src/formats/finding';
import type { FirstBootSettings } from '../src/firstboot/settings';
import { network, settings, userKey } from './helpers/plan';
import { cardOf, check } from './helpers/check';

const HASH = `$6$seagrass$${'a'.repeat(86)}`;
const given = settings({
  user: { ...settings().user, passwordHash: HASH, passwordLogin: true },
  networks: [
    network({ hidden: true }),
    network({ ssid: utf8('Hall'), security: 'wpa3-sae', key: 'nineteen rows', priority: 25 }),
  ],
});
const script = cardOf('run-once', given);
const template = cardOf('network-template', given);
const serious = (findings: readonly CheckFinding[]): string[] =>
  findings.filter(({ severity }) => severity !== 'note').map(({ id }) => id);

/** A script as people write it themselves (common practice). */
const foreign = [
  '#!/bin/bash',
  'hostnamectl set-hostname buoy-07',
  'useradd -m keeper',
  "cat >/etc/NetworkManager/system-connections/bench.nmconnection <<'END'",
  '[connection]',
  'id=bench',
  'type=wifi',
  '[wifi]',
  'ssid=Salt Marsh',
  '[wifi-security]',
  'key-mgmt=wpa-psk',
  'psk=low tide at seven',
  'END',
  'chmod 600 /etc/NetworkManager/system-connections/bench.nmconnection',
  '',
].join('\n');
const own = {
  'cmdline.txt': 'quiet systemd.run=/boot/setup.sh systemd.run_success_action=reboot\n',
  'setup.sh': foreign,
};

describe('a good card', () => {
  it('with a run-once script says name, networks, users, and has no finding', () => {
    const { acts, reason, settings: read, findings } = check(script, { mountedAt: '/boot' });
    expect(serious(findings)).toEqual([]);
    expect([acts, reason]).toEqual(['run-once', 'cmdline.txt starts /boot/run-once.sh.']);
    expect(read).toMatchObject({
      hostName: 'tank-01',
      country: 'FO',
      passwordLogin: true,
      users: [{ name: 'keeper', keys: 1, password: true }],
      networks: [
        { ssid: 'Hall', security: 'sae', hidden: false, priority: 25 },
        { ssid: 'Salt Marsh', security: 'psk', hidden: true, priority: 10 },
      ],
    });
  });

  it('with a network template says the networks', () => {
    const { acts, settings: read, findings } = check(template);
    expect([acts, serious(findings)]).toEqual(['network-template', []]);
    expect(read.networks.map(({ ssid, security }) => `${ssid} ${security}`)).toEqual([
      'Hall sae',
      'Salt Marsh psk',
    ]);
    expect(read.country).toBe('FO');
  });

  it('with a script of somebody else is read as far as it can be', () => {
    const { acts, settings: read, findings } = check(own, { mountedAt: '/boot' });
    expect([acts, serious(findings)]).toEqual(['run-once', []]);
    expect(read).toMatchObject({
      hostName: 'buoy-07',
      networks: [{ ssid: 'Salt Marsh', security: 'psk' }],
      users: [{ name: 'keeper' }],
    });
  });
});

type Files = Record<string, string>;
const edit =
  (file: string, from: string | RegExp, to: string) =>
  (files: Files): Files => {
    const text = files[file] ?? '';
    if (text.replace(from, to) === text) throw new Error(`nothing to spoil in ${file}`);
    return { ...files, [file]: text.replace(from, to) };
  };
const without =
  (file: string) =>
  (files: Files): Files =>
    Object.fromEntries(Object.entries(files).filter(([name]) => !name.startsWith(file)));
const wifi = 'run-once/networks/nest-1.nmconnection';

/** What was done, to which card, the finding that has to come, its file and line. */
const cases: [string, Files, (files: Files) => Files, string, string, number | null][] = [
  [
    'the start words are missing',
    script,
    edit('cmdline.txt', / systemd\.run=\S+/, ''),
    'script-not-started',
    'cmdline.txt',
    1,
  ],
  ['the script is gone', script, without('run-once.sh'), 'script-missing', 'cmdline.txt', 1],
  [
    'another mount point',
    script,
    edit('cmdline.txt', '=/boot/run', '=/boot/firmware/run'),
    'script-path',
    'cmdline.txt',
    1,
  ],
  [
    'nothing restarts the board',
    script,
    edit('cmdline.txt', / systemd\.run_success_action=\S+/, ''),
    'script-no-restart',
    'cmdline.txt',
    1,
  ],
  ['no start line', script, edit('run-once.sh', '#!/bin/sh\n', ''), 'script-start-line', 'run-once.sh', 1],
  [
    'line ends of another system in the script',
    script,
    edit('run-once.sh', /\n/g, '\r\n'),
    'carriage-returns',
    'run-once.sh',
    1,
  ],
  [
    'a byte-order mark before the start line',
    script,
    edit('run-once.sh', '#!', '\uFEFF#!'),
    'byte-order-mark',
    'run-once.sh',
    1,
  ],
  ['the settings are gone', script, without('run-once/'), 'settings-missing', 'run-once', null],
  [
    'the command line is broken over two lines',
    script,
    edit('cmdline.txt', ' quiet', '\nquiet'),
    'command-line-broken',
    'cmdline.txt',
    2,
  ],
  [
    'a host name with an underscore',
    script,
    edit('run-once/host-name', 'tank-01', 'tank_01'),
    'host-name',
    'run-once/host-name',
    1,
  ],
  [
    'a password in plain',
    script,
    edit('run-once/users', HASH, 'oysters'),
    'password-hash',
    'run-once/users',
    1,
  ],
  ['a line without its parts', script, edit('run-once/users', /:/g, ' '), 'user-line', 'run-once/users', 1],
  [
    'a key that is cut',
    script,
    edit('run-once/keys/keeper', /.{30}\n/, '\n'),
    'key-broken',
    'run-once/keys/keeper',
    1,
  ],
  ['no country', script, edit('cmdline.txt', /cfg80211\S+ /, ''), 'country-missing', 'cmdline.txt', 1],
  ['a short passphrase', script, edit(wifi, /psk=.*/, 'psk=tide'), 'passphrase-short', wifi, 14],
  ['no passphrase', script, edit(wifi, /psk=.*\n/, ''), 'psk-missing', wifi, 13],
  ['open settings for a secured network', script, edit(wifi, 'wpa-psk', 'none'), 'open-with-key', wifi, 13],
  [
    'a WEP key of a wrong length',
    script,
    edit(wifi, /key-mgmt=.*\npsk=.*/, 'key-mgmt=none\nwep-key0=0102'),
    'wep-form',
    wifi,
    14,
  ],
  [
    'a backslash of a passphrase that is not doubled',
    script,
    edit(wifi, /psk=.*/, 'psk=low \\dide at seven'),
    'keyfile-escape',
    wifi,
    14,
  ],
  ['a mode that is none', script, edit(wifi, 'infrastructure', 'client'), 'keyfile-value', wifi, 9],
  ['a type that is none', script, edit(wifi, 'type=wifi', 'type=wlan'), 'keyfile-type', wifi, 4],
  ['settings before the first group', script, edit(wifi, /^/, 'type=wifi\n'), 'keyfile-form', wifi, 1],
  ['a made-up security', script, edit(wifi, 'wpa-psk', 'wpa2'), 'key-mgmt', wifi, 13],
  ['a name that is too long', script, edit(wifi, 'Salt Marsh', 'x'.repeat(33)), 'ssid-form', wifi, 10],
  ['a line that is no setting', script, edit(wifi, 'type=wifi', 'type wifi'), 'keyfile-form', wifi, 4],
  ['one network twice', script, edit(wifi, 'Salt Marsh', 'hall'), 'network-twice', 'cmdline.txt', null],
  ['a keyfile that all can read', own, edit('setup.sh', /chmod.*\n/, ''), 'keyfile-mode', 'setup.sh', 4],
  [
    'a passphrase that the shell changes',
    own,
    (files) => edit('setup.sh', 'low tide', 'low $tide')(edit('setup.sh', "'END'", 'END')(files)),
    'script-expands',
    'setup.sh',
    4,
  ],
  [
    'a short passphrase inside a script',
    own,
    edit('setup.sh', 'low tide at seven', 'tide'),
    'passphrase-short',
    'setup.sh',
    12,
  ],
  [
    'no start line in a script',
    own,
    edit('setup.sh', '#!/bin/bash\n', ''),
    'script-start-line',
    'setup.sh',
    1,
  ],
  [
    'comment signs left before the whole block',
    template,
    edit('network.txt', /^(network=| {2}|\})/gm, '#$1'),
    'template-asleep',
    'network.txt',
    4,
  ],
  [
    'a comment sign left before the first line of a block',
    template,
    edit('network.txt', 'network={', '#network={'),
    'brace-extra',
    'network.txt',
    10,
  ],
  [
    'a template with a curly quote',
    template,
    edit('network.txt', '"Hall"', '“Hall”'),
    'curly-quotes',
    'network.txt',
    5,
  ],
];

describe('a card whose script has run', () => {
  it('says so, and what the script could not do', () => {
    const log = 'begun 2026-01-01 UTC\nFAILED: time zone Mars/North is not on this image\nended\n';
    const { acts, findings } = check({ 'cmdline.txt': 'quiet\n', 'run-once.log': log });
    expect(acts).toBe('none');
    expect(findings.map(({ id, severity, line }) => [id, severity, line])).toEqual([
      ['script-failed', 'warns', 2],
      ['script-ran', 'note', null],
    ]);
    expect(findings[0]?.message).toContain('Mars/North');
    expect(check({ 'run-once.log': 'begun\n' }).findings[0]?.message).toContain('cut off');
  });
});

describe('a spoilt card', () => {
  it.each(cases)('%s', (_what, files, spoil, id, file, line) => {
    const { findings } = check(spoil(files), { mountedAt: '/boot' });
    const found = findings.find((one) => one.id === id);
    expect(found && [found.id, found.file, found.line]).toEqual([id, file, line]);
    expect(found!.why.length).toBeGreaterThan(15);
    expect(found!.advice.length).toBeGreaterThan(2);
  });

  it('mended as the findings say has them no more', () => {
    let mended = 0;
    for (const [what, files, spoil] of cases) {
      const spoilt: Record<string, string | Uint8Array> = spoil(files);
      const before = check(spoilt, { mountedAt: '/boot' }).findings.filter(({ fix }) => fix !== null);
      for (const { fix } of before) if (fix?.do === 'replace') spoilt[fix.file] = fix.content;
      mended += before.length;
      const after = check(spoilt, { mountedAt: '/boot' }).findings;
      expect({
        what,
        left: after.filter(({ id }) => before.some((one) => one.id === id)).map(({ id }) => id),
      }).toEqual({ what, left: [] });
    }
    expect(mended).toBeGreaterThan(6);
  });

  it('is never told with its secrets', () => {
    for (const [, files, spoil] of cases) {
      const told = JSON.stringify(
        check(spoil(files), { mountedAt: '/boot' }).findings.map(({ fix: _fix, ...text }) => text),
      );
      for (const secret of [
        HASH,
        'ab'.repeat(32),
        'nineteen rows',
        'low tide',
        given.hostKey.privateText.split('\n')[2]!,
      ])
        expect(told).not.toContain(secret);
    }
  });
});

describe('whatever a plan says', () => {
  const name = fc
    .uint8Array({ minLength: 1, maxLength: 32 })
    .filter((octets) => octets.some((octet) => octet !== 0));
  const point = fc.record({
    ssid: name,
    hidden: fc.boolean(),
    priority: fc.integer({ min: -99, max: 99 }),
    open: fc.boolean(),
  });
  const textOf = (octets: Uint8Array): string => {
    try {
      return new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(octets);
    } catch {
      return toHex(octets);
    }
  };

  it.each(['run-once', 'marker-files', 'network-template'] as const)(
    'the check reads the same from a card of %s',
    (method) => {
      fc.assert(
        fc.property(
          fc.uniqueArray(point, { minLength: 1, maxLength: 4, selector: ({ ssid }) => toHex(ssid) }),
          fc.boolean(),
          (points, password) => {
            const one: FirstBootSettings = settings({
              networks: points.map(({ ssid, hidden, priority, open }) =>
                network({
                  ssid,
                  hidden,
                  priority,
                  security: open ? 'open' : 'wpa2-psk',
                  key: open ? '' : 'cd'.repeat(32),
                }),
              ),
              user: {
                name: 'keeper',
                keys: [userKey],
                passwordHash: password ? HASH : null,
                passwordLogin: password,
                sudo: 'usual',
                groups: [],
              },
            });
            const { settings: read } = check(cardOf(method, one), { mountedAt: '/boot' });
            const sorted = [...points].sort((a, b) => b.priority - a.priority);
            expect(read.networks).toEqual(
              sorted.map(({ ssid, hidden, priority, open }) => ({
                ssid: textOf(ssid),
                hidden,
                priority,
                security: open ? 'open' : 'psk',
              })),
            );
            expect(read.country).toBe('FO');
            if (method === 'run-once')
              expect([read.hostName, read.users]).toEqual([
                'tank-01',
                [{ name: 'keeper', keys: 1, password }],
              ]);
          },
        ),
      );
    },
  );
});
