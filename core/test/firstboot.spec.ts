import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { textOf, utf8 } from '../src/bytes';
import { FatVolume, MemorySource, Overlay } from '../src/disk';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import { lookAtBoot } from '../src/firstboot/image-system';
import { detectMethod } from '../src/firstboot/methods';
import { unreadSystem } from '../src/system/facts';
import type { FirstBootSettings } from '../src/firstboot/settings';
import { personalise } from '../src/firstboot/personalise';
import { MASK, previewFiles, withoutSecrets } from '../src/firstboot/preview';
import { applyPatches } from '../src/disk/overlay';
import { preSharedKey } from '../src/wifi/psk';
import { network, settings, userKey } from './helpers/plan';
import { attempt, inScratch, run } from './helpers/reference';

const detect = async (boot: FatVolume): ReturnType<typeof detectMethod> =>
  detectMethod({ boot, root: null, system: await lookAtBoot(boot, unreadSystem(''), null) });

const fileOf = (given: FirstBootSettings, path: string): string => {
  const file = cardFilesOf('declarative-seed', given, noBase).find((candidate) => candidate.path === path);
  if (!file) throw new Error(`no ${path}`);
  return textOf(file.content);
};

/** What Python's YAML reader, which cloud-init uses, makes of a text. */
const readByPython = (text: string): unknown =>
  JSON.parse(
    run(
      '/usr/bin/python3',
      ['-c', 'import sys, yaml, json; print(json.dumps(yaml.safe_load(sys.stdin)))'],
      text,
    ),
  );

/** Values that YAML 1.1 takes for something else when they are written bare. */
const awkward = [
  'no',
  'on',
  '012',
  '1e3',
  '~',
  'null',
  '12:30:00',
  '#x',
  '- x',
  'a: b',
  "it's",
  '"q"',
  '\\n',
  ' x ',
  '{a}',
  '*a',
  '&b',
  '=',
  '<<',
  'a\tb',
  '🦪',
];

describe('the declarative seed', () => {
  it.each([
    ['keys only', settings()],
    [
      'with a password',
      settings({
        user: {
          name: 'keeper',
          keys: [],
          passwordHash: '$6$salt$abc/.',
          passwordLogin: true,
          sudo: 'usual',
          groups: [],
        },
      }),
    ],
  ])('user-data %s is accepted by cloud-init schema', async (_name, given) => {
    await inScratch((folder) => {
      const file = join(folder, 'user-data');
      writeFileSync(file, fileOf(given, 'user-data'));
      const result = attempt('cloud-init', ['schema', '-c', file]);
      expect(result).toEqual({ code: 0, output: expect.stringContaining('Valid cloud-config') as string });
    });
  });

  it('network-config is accepted by netplan, with key, country and hidden flag', async () => {
    await inScratch((folder) => {
      mkdirSync(join(folder, 'etc/netplan'), { recursive: true });
      const key = preSharedKey('Salt Marsh', 'oysters & tides');
      const given = settings({
        networks: [
          network({ key, hidden: true, priority: 20 }),
          network({ ssid: utf8('Hall'), security: 'open', key: '' }),
        ],
      });
      writeFileSync(join(folder, 'etc/netplan/50.yaml'), fileOf(given, 'network-config'), { mode: 0o600 });
      run('netplan', ['generate', '--root-dir', folder]);
      const supplicant = readFileSync(join(folder, 'run/netplan/wpa-wlan0.conf'), 'utf8');
      expect(supplicant).toContain(`psk=${key}`);
      expect(supplicant).toMatch(/ssid=P?"Salt Marsh"/);
      expect(supplicant).toContain('scan_ssid=1');
      expect(supplicant).toContain('country=FO');
      expect(supplicant).toMatch(/ssid=P?"Hall"\s+key_mgmt=NONE/);
    });
  });

  it('gives NetworkManager the priorities, as netplan writes them for it', async () => {
    await inScratch((folder) => {
      mkdirSync(join(folder, 'etc/netplan'), { recursive: true });
      const given = settings({
        networks: [network({ priority: -5 }), network({ ssid: utf8('Hall'), priority: 25 })],
      });
      const text = fileOf(given, 'network-config').replace(
        'version: 2',
        'version: 2\n  renderer: NetworkManager',
      );
      writeFileSync(join(folder, 'etc/netplan/50.yaml'), text, { mode: 0o600 });
      run('netplan', ['generate', '--root-dir', folder]);
      const file = (name: string): string =>
        readFileSync(
          join(folder, 'run/NetworkManager/system-connections', `netplan-wlan0-${name}.nmconnection`),
          'utf8',
        );
      expect(file('Hall')).toContain('autoconnect-priority=25');
      expect(file('Salt%20Marsh')).toContain('autoconnect-priority=-5');
    });
  });

  it('without a network leaves the radio alone, with further users adds them locked', () => {
    const given = settings({
      networks: [],
      others: [{ name: 'helper', keys: [userKey], sudo: false }],
    });
    expect(readByPython(fileOf(given, 'network-config'))).toEqual({
      network: { version: 2, ethernets: { wired: { match: { name: 'e*' }, dhcp4: true, optional: true } } },
    });
    expect(readByPython(fileOf(given, 'user-data'))).toMatchObject({
      users: [{ name: 'keeper' }, { name: 'helper', lock_passwd: true, ssh_authorized_keys: [userKey] }],
    });
  });

  it('reads the same through Python’s YAML reader, whatever stands in it', () => {
    for (const ssid of awkward) {
      const given = settings({
        networks: [network({ ssid: utf8(ssid) })],
        batchName: ssid,
        hostName: 'null',
      });
      const read = readByPython(fileOf(given, 'network-config')) as {
        network: { wifis: { wlan0: Record<string, unknown> } };
      };
      expect(read.network.wifis.wlan0['access-points']).toMatchObject({
        [ssid]: { password: 'ab'.repeat(32) },
      });
      const user = readByPython(fileOf(given, 'user-data')) as Record<string, unknown>;
      expect(user['hostname']).toBe('null');
      expect(user['users']).toMatchObject([
        { name: 'keeper', lock_passwd: true, ssh_authorized_keys: given.user.keys },
      ]);
      expect(user['ssh_keys']).toEqual({
        ed25519_private: given.hostKey.privateText,
        ed25519_public: given.hostKey.publicLine,
      });
    }
  });

  it('hands commands, packages and files to the board to the letter, whatever YAML 1.1 would make of them', () => {
    const awkwardNames = [
      'no',
      '012',
      '1e3',
      '~',
      'null',
      'a: b # c',
      "it's",
      '- x',
      '{a}',
      '"q"',
      '*a',
      '%x',
      '@y',
      '`z`',
    ];
    const given = settings({
      commands: awkwardNames,
      packages: ['on', '7z', 'null'],
      keyboard: { layout: 'no', variant: 'y' },
      files: awkwardNames.map((content, at) => ({
        place: 'board',
        path: `/etc/f${String(at)}`,
        mode: '0600',
        content: `${content}\n \t\n`,
      })),
    });
    expect(readByPython(fileOf(given, 'user-data'))).toMatchObject({
      runcmd: awkwardNames,
      packages: ['on', '7z', 'null'],
      package_update: true,
      keyboard: { layout: 'no', variant: 'y' },
      write_files: [
        { path: '/etc/nest-mark.json' },
        { path: '/etc/locale.gen', append: true },
        ...awkwardNames.map((content) => ({ permissions: '0600', content: `${content}\n \t\n` })),
      ],
    });
  });

  it('is read by Python as it was meant, whatever YAML makes of a character elsewhere', () => {
    // DEL, the C1 controls with NEL among them, other line ends, the byte-order mark, what is no character; spaces.
    const odd = [
      ...Array.from({ length: 0x21 }, (_, at) => 0x7f + at),
      ...[0x2028, 0x2029, 0xfeff, 0xfffd, 0xa0, 0x1680, 0x2003, 0x3000],
    ].map((code) => String.fromCodePoint(code));
    const names = odd.flatMap((char) => [`!${char}!`, `a ${char} b: c #`, `${char}x`]);
    for (let at = 0; at < names.length; at += 12) {
      const some = names.slice(at, at + 12);
      const given = settings({
        networks: some.map((ssid) => network({ ssid: utf8(ssid) })),
        commands: some,
      });
      expect(readByPython(fileOf(given, 'user-data'))).toMatchObject({ runcmd: some });
      const config = readByPython(fileOf(given, 'network-config')) as {
        network: { wifis: { wlan0: { 'access-points': object } } };
      };
      expect(Object.keys(config.network.wifis.wlan0['access-points']).sort()).toEqual([...some].sort());
    }
  });

  it('is plain UTF-8 with Unix line ends and no byte-order mark', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, unit: 'grapheme' }), (ssid) => {
        for (const { content } of cardFilesOf(
          'declarative-seed',
          settings({ networks: [network({ ssid: utf8(ssid) })] }),
          noBase,
        )) {
          const text = textOf(content);
          expect(text.startsWith('\uFEFF')).toBe(false);
          expect(text.includes('\r\n')).toBe(false);
          expect(text.endsWith('\n')).toBe(true);
        }
      }),
    );
  });

  it('is detected by label or files, and lands on the partition with nothing else changed', async () => {
    await inScratch(async (folder) => {
      const file = join(folder, 'boot.img');
      run('mkfs.fat', ['-C', '-F', '16', '-n', 'OTHER', file, '16384']);
      const open = async (bytes: Uint8Array): Promise<FatVolume> =>
        FatVolume.openReadOnly(new MemorySource(bytes));
      const plain = new Uint8Array(readFileSync(file));
      expect((await detect(await open(plain))).id).toBe('none');
      const patches = await personalise(
        new MemorySource(plain),
        { offset: 1 << 20, size: plain.length },
        cardFilesOf('declarative-seed', settings(), noBase),
      );
      expect(patches.every((patch) => patch.offset >= 1 << 20)).toBe(true);
      const disk = new Uint8Array((1 << 20) + plain.length);
      disk.set(plain, 1 << 20);
      applyPatches(disk, 0, patches);
      const volume = await open(disk.subarray(1 << 20));
      expect(await detect(volume)).toEqual({
        id: 'declarative-seed',
        reason: 'The boot partition holds user-data and meta-data.',
      });
      for (const { path, content } of cardFilesOf('declarative-seed', settings(), noBase))
        expect(await volume.readFile(path)).toEqual(content);
      expect(disk.subarray(0, 1 << 20).every((value) => value === 0)).toBe(true);
      run('mlabel', ['-i', file, '::CIDATA']);
      const labelled = await FatVolume.open(
        new Overlay(new MemorySource(new Uint8Array(readFileSync(file)))),
      );
      expect((await detect(labelled)).reason).toContain('CIDATA');
    });
  });
});

describe('the preview of a card', () => {
  const secret = 'cd'.repeat(32);
  const given = settings({
    networks: [
      network({ key: secret }),
      network({ ssid: utf8('Hall'), security: 'wpa3-sae', key: 'a "sea" of\\tides' }),
    ],
    user: {
      name: 'keeper',
      keys: [userKey],
      passwordHash: '$6$salt$hash',
      passwordLogin: true,
      sudo: 'usual',
      groups: [],
    },
  });

  it('holds no secret in any form, and is the written file otherwise', () => {
    const masked = withoutSecrets(given);
    const shown = previewFiles(cardFilesOf('declarative-seed', masked, noBase), []);
    const text = shown.map(({ lines }) => lines.map((line) => line.text).join('\n')).join('\n');
    const key = given.hostKey.privateText.split('\n')[2]!;
    for (const hidden of [secret, 'tides', '$6$', key]) expect(text).not.toContain(hidden);
    expect(text).toContain(MASK);
    const written = previewFiles(cardFilesOf('declarative-seed', given, noBase), []);
    for (const [index, file] of written.entries()) {
      const same = file.lines.filter(({ text: line }) =>
        shown[index]!.lines.some((other) => other.text === line),
      );
      // Only lines with secrets differ: the private key's, the hash, and the keys of both networks.
      expect(file.lines.length - same.length).toBeLessThan(9);
      expect(file).toMatchObject({ encoding: 'UTF-8', lineEnds: 'LF' });
    }
  });

  it('marks what other devices have otherwise, and nothing where there is no other', () => {
    const other = settings({ ...given, hostName: 'tank-02', mark: 'XXXXX', instanceId: 'XXXXX-1' });
    const files = previewFiles(
      cardFilesOf('declarative-seed', given, noBase),
      cardFilesOf('declarative-seed', other, noBase),
    );
    const meta = files.find(({ path }) => path === 'meta-data')!;
    expect(meta.lines).toEqual([
      { text: 'instance-id: 7KQ4M-1', own: true },
      { text: 'local-hostname: tank-01', own: true },
    ]);
    const net = files.find(({ path }) => path === 'network-config')!;
    expect(net.lines.some(({ own }) => own)).toBe(false);
    expect(
      previewFiles(cardFilesOf('declarative-seed', given, noBase), [])
        .flatMap(({ lines }) => lines)
        .some(({ own }) => own),
    ).toBe(false);
  });

  it('tells line ends and what is no text', () => {
    const files = [
      { path: 'a', content: utf8('x\r\ny\r\n') },
      { path: 'b', content: new Uint8Array([0xff, 0xfe]) },
    ];
    expect(previewFiles(files, []).map(({ encoding, lineEnds }) => [encoding, lineEnds])).toEqual([
      ['UTF-8', 'CRLF'],
      ['octets', 'none'],
    ]);
  });
});
