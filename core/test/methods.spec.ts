import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { toHex, utf8 } from '../src/bytes';
import { mergeBootLines, readBootLines } from '../src/firstboot/boot-config';
import { cardFilesOf } from '../src/firstboot/card-files';
import { addWords, commandLinePath, wordsOfCommandLine } from '../src/firstboot/command-line';
import { handSteps } from '../src/firstboot/hand-steps';
import { typedWord } from '../src/formats/shell/word';
import { keyfileSsid, wifiKeyfile, wiredKeyfile } from '../src/firstboot/keyfile';
import { readKeyfile, ssidOfKeyfile, unescaped } from '../src/formats/keyfile/read';
import type { BaseFiles, FirstBootSettings, NetworkSettings } from '../src/firstboot/settings';
import { fillTemplate, templatePath } from '../src/firstboot/network-template/writes';
import { startWords } from '../src/firstboot/run-once/writes';
import { callInScript, callInUnit } from '../src/firstboot/call-in';
import { runOnceScript } from '../src/firstboot/run-once/script';
import { supplicantFile } from '../src/firstboot/supplicant-file';
import { preSharedKey } from '../src/wifi/psk';
import { network, settings } from './helpers/plan';
import { attempt, inScratch, run } from './helpers/reference';

const textsOf = (files: readonly { path: string; content: Uint8Array }[]): Map<string, string> =>
  new Map(files.map(({ path, content }) => [path, new TextDecoder().decode(content)]));
const baseOf = (texts: Record<string, string>): BaseFiles => ({
  texts: new Map(Object.entries(texts)),
  mountedAt: '/boot/firmware',
  system: null,
});

/** Names of networks that a careless writer gets wrong. */
const awkward = [
  'Salt Marsh',
  ' led',
  'trail ',
  'a;b',
  'a\\b',
  '"q"',
  "it's",
  '#x',
  '$HOME',
  '1;2;',
  'Østers',
  '🦪',
  '[x]',
  'a=b',
  '\t',
  'a"b',
];
const octets = fc.uint8Array({ minLength: 1, maxLength: 32 });
/** Passphrases of WPA: 8 to 63 printable ASCII characters (IEEE Std 802.11-2020 annex J.4). */
const passphrase = fc.string({
  minLength: 8,
  maxLength: 63,
  unit: fc.integer({ min: 0x20, max: 0x7e }).map((code) => String.fromCharCode(code)),
});

describe('keyfiles of NetworkManager', () => {
  const addedBy = (args: string[]): Map<string, Map<string, string>> =>
    readKeyfile(run('nmcli', ['--offline', 'connection', 'add', 'type', 'wifi', ...args]));
  /** Groups that both sides have, without what each names by itself. */
  const comparable = (groups: Map<string, Map<string, string>>): Record<string, Record<string, string>> => {
    const said: Record<string, Record<string, string>> = {};
    for (const [name, keys] of groups) {
      const left = Object.fromEntries(
        [...keys].filter(([key]) => !['id', 'uuid', 'addr-gen-mode'].includes(key)),
      );
      if (Object.keys(left).length > 0) said[name] = left;
    }
    const { wifi } = said;
    if (wifi?.['ssid'] !== undefined) wifi['ssid'] = toHex(ssidOfKeyfile(wifi['ssid']));
    return said;
  };

  it.each(
    awkward.flatMap(
      (name) =>
        [
          [name, 'oysters & tides'],
          [name, ' a\\b "c" #;$ '],
        ] as const,
    ),
  )('say of %j what nmcli --offline writes for the same settings', (name, key) => {
    const given = network({ ssid: utf8(name), key, hidden: true, priority: 25 });
    const ours = readKeyfile(wifiKeyfile(given, settings(), 0));
    const theirs = addedBy([
      'con-name',
      'x',
      'ssid',
      name,
      'wifi.hidden',
      'yes',
      'connection.autoconnect-priority',
      '25',
      'wifi-sec.key-mgmt',
      'wpa-psk',
      'wifi-sec.psk',
      key,
    ]);
    expect(comparable(ours)).toEqual(comparable(theirs));
  });

  it.each([
    ['open', [], { security: 'open', key: '' }],
    ['wpa3-sae', ['wifi-sec.key-mgmt', 'sae', 'wifi-sec.psk', 'nineteen rows'], { key: 'nineteen rows' }],
    ['wpa3-sae', ['wifi-sec.key-mgmt', 'sae', 'wifi-sec.psk', 'åtte måger'], { key: 'åtte måger' }],
    [
      'wep',
      ['wifi-sec.key-mgmt', 'none', 'wifi-sec.wep-key-type', 'key', 'wifi-sec.wep-key0', '0123456789'],
      { key: '0123456789' },
    ],
  ] as const)('say of a network with %s what nmcli writes', (security, args, change) => {
    const given = network({ priority: 0, ...change, security });
    expect(comparable(readKeyfile(wifiKeyfile(given, settings(), 1)))).toEqual(
      comparable(addedBy(['con-name', 'x', 'ssid', 'Salt Marsh', ...args])),
    );
  });

  it('say of a fixed address what nmcli writes', () => {
    const wired = {
      address: '192.168.40.21/24',
      gateway: '192.168.40.1',
      nameServers: ['192.168.40.2', '192.168.40.3'],
    };
    const theirs = readKeyfile(
      run('nmcli', [
        '--offline',
        'connection',
        'add',
        'type',
        'ethernet',
        'con-name',
        'x',
        'ipv4.method',
        'manual',
        'ipv4.addresses',
        wired.address,
        'ipv4.gateway',
        wired.gateway,
        'ipv4.dns',
        wired.nameServers.join(','),
      ]),
    );
    expect(comparable(readKeyfile(wiredKeyfile(wired, settings())))).toEqual(comparable(theirs));
  });

  it('are read and written again by nmcli without a loss', () => {
    const text = wifiKeyfile(
      network({ ssid: utf8(' a;b\\ '), key: ' "x" \\ # ; $', hidden: true }),
      settings(),
      0,
    );
    const again = run('nmcli', ['--offline', 'connection', 'modify', 'connection.autoconnect', 'yes'], text);
    expect(comparable(readKeyfile(again))).toEqual(comparable(readKeyfile(text)));
  });

  it('keep any name and any passphrase', () => {
    fc.assert(
      fc.property(octets, passphrase, (ssid, key) => {
        const groups = readKeyfile(wifiKeyfile(network({ ssid, key }), settings(), 0));
        expect(ssidOfKeyfile(groups.get('wifi')?.get('ssid') ?? '')).toEqual(Uint8Array.from(ssid));
        expect(unescaped(groups.get('wifi-security')?.get('psk') ?? '')).toBe(key);
      }),
    );
    expect(keyfileSsid(utf8('Salt Marsh'))).toBe('Salt Marsh');
  });
});

describe('wpa_supplicant.conf', () => {
  /** Exit 124 means that it parsed and went on (tried; references say so too). */
  const parses = (text: string): Promise<{ code: number | null; output: string }> =>
    inScratch((folder) => {
      const file = join(folder, 'wpa_supplicant.conf');
      // A socket that can be made anywhere.
      writeFileSync(file, text.replace(/^ctrl_interface=.*$/m, ''));
      return attempt('timeout', ['1', 'wpa_supplicant', '-D', 'none', '-i', 'lo', '-c', file, '-d']);
    });

  it('is parsed by wpa_supplicant itself, with every awkward name and each kind of security', async () => {
    const kinds: Partial<NetworkSettings>[] = [
      { security: 'open', key: '' },
      { security: 'wep', key: '0123456789' },
      { security: 'wpa3-sae', key: ' a "b" #\\c' },
      { security: 'wpa3-sae', key: 'åtte måger ✓' },
      { security: 'wpa2-wpa3' },
    ];
    const networks = [
      ...awkward.map((name, at) => network({ ssid: utf8(name), priority: at - 3 })),
      network({ ssid: new Uint8Array([0xff, 0x00, 0x22]) }),
      ...kinds.map((change, at) => network({ ssid: utf8(`kind ${String(at)}`), ...change })),
    ];
    const { code, output } = await parses(supplicantFile({ networks, country: 'FO' }));
    expect({
      code,
      refused: output.split('\n').filter((line) => /Line \d+:.*(fail|invalid|unknown)/i.test(line)),
    }).toEqual({ code: 124, refused: [] });
    // The names that it read, as it prints them itself: C escapes for what is not plain ASCII.
    const escapes: Record<number, string> = { 9: '\\t', 34: '\\"', 92: '\\\\' };
    const printed = (ssid: Uint8Array): string =>
      [...ssid]
        .map(
          (octet) =>
            escapes[octet] ??
            (octet > 31 && octet < 127 ? String.fromCharCode(octet) : `\\x${toHex(Uint8Array.of(octet))}`),
        )
        .join('');
    for (const { ssid } of networks) expect(output).toContain(`ssid='${printed(ssid)}'\n`);
  });

  it('has the key that wpa_passphrase prints', () => {
    for (const [name, secret] of [
      ['Salt Marsh', 'oysters & tides'],
      ['Østers', "it's 12345"],
    ] as const) {
      const text = supplicantFile({
        networks: [network({ ssid: utf8(name), key: preSharedKey(name, secret) })],
        country: 'FO',
      });
      const theirs = /^\tpsk=([0-9a-f]{64})$/m.exec(run('wpa_passphrase', [name, secret]))?.[1];
      expect(text).toContain(`\tpsk=${theirs ?? 'none'}\n`);
    }
  });
});

describe('userconf.txt', () => {
  it('is one line whose hash Perl’s crypt and openssl take for the password', () => {
    const hash = run('openssl', ['passwd', '-6', '-salt', 'reedreed', 'oyster beds: 12']).trim();
    const given = settings({ user: { ...settings().user, passwordHash: hash, passwordLogin: true } });
    const text = textsOf(cardFilesOf('marker-files', given, baseOf({}))).get('userconf.txt') ?? '';
    const [, written = ''] = /^keeper:([^:]+)\n$/.exec(text) ?? [];
    const byPerl = run('perl', ['-e', 'print crypt($ARGV[0], $ARGV[1])', 'oyster beds: 12', written]);
    expect(byPerl).toBe(written);
    expect(textsOf(cardFilesOf('marker-files', settings(), baseOf({}))).get('userconf.txt')).toBe(
      'keeper:!\n',
    );
  });
});

describe('the network template', () => {
  const shipped = [
    '# Networks of this machine. Uncomment ONE block.',
    'country=US',
    '',
    '## WPA/WPA2 secured',
    '#network={',
    '#  ssid="put SSID here"',
    '#  psk="put password here"',
    '#}',
    '',
    '## Open/unsecured',
    '#network={',
    '#  ssid="put SSID here"',
    '#  key_mgmt=NONE',
    '#}',
    'update_config=1',
  ].join('\r\n');

  it('gets the right block uncommented and filled in, and keeps the rest to the letter', () => {
    const given = settings({
      networks: [network({ ssid: utf8('Hall'), security: 'open', key: '', priority: 0 })],
    });
    const lines = fillTemplate(shipped, given).split('\r\n');
    expect(lines).toEqual([
      ...shipped.split('\r\n').slice(0, 1),
      'country=FO',
      ...shipped.split('\r\n').slice(2, 10),
      'network={',
      '  ssid="Hall"',
      '  key_mgmt=NONE',
      '}',
      'update_config=1',
    ]);
  });

  it('takes several networks, and one for which it has no block', async () => {
    const networks = [
      network(),
      network({ ssid: utf8('Hall'), priority: 20 }),
      network({ ssid: utf8('Old'), security: 'wep', key: '0123456789', priority: 1 }),
    ];
    const text = fillTemplate(shipped.replaceAll('\r\n', '\n'), settings({ networks }));
    expect(text.match(/^network=\{$/gm)).toHaveLength(3);
    expect(text.indexOf('ssid="Hall"')).toBeLessThan(text.indexOf('ssid="Salt Marsh"'));
    await inScratch((folder) => {
      writeFileSync(join(folder, 'c'), text);
      expect(
        attempt('timeout', ['1', 'wpa_supplicant', '-D', 'none', '-i', 'lo', '-c', join(folder, 'c')]).code,
      ).toBe(124);
    });
    expect(
      templatePath(
        new Map([
          ['network.txt', shipped],
          ['wpa_supplicant.conf', shipped],
        ]),
      ),
    ).toBe('network.txt');
    expect(templatePath(new Map([['notes.txt', 'network={']]))).toBeNull();
  });
});

describe('the run-once script', () => {
  it('is clean to shellcheck and to the shell', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'run-once.sh');
      writeFileSync(file, runOnceScript);
      expect(attempt('shellcheck', ['-s', 'sh', file])).toEqual({ code: 0, output: '' });
      run('sh', ['-n', file]);
    });
  });

  it('and so is the one that calls in', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'call-in.sh');
      writeFileSync(file, callInScript);
      expect(attempt('shellcheck', ['-s', 'sh', file])).toEqual({ code: 0, output: '' });
      run('sh', ['-n', file]);
      // Its service, to systemd's own reader: an unknown word would be told.
      const unit = join(folder, 'nest-mark-call-in.service');
      writeFileSync(unit, callInUnit);
      expect(attempt('systemd-analyze', ['verify', '--man=no', unit])).toEqual({ code: 0, output: '' });
    });
  });

  it('is started by systemd’s own reader of the command line, which then restarts the board', async () => {
    await inScratch((folder) => {
      for (const name of ['n', 'e', 'l']) mkdirSync(join(folder, name));
      const line = addWords('cmdline.txt', 'root=/dev/x quiet\n', startWords('/boot/firmware', 'FO')).trim();
      // SYSTEMD_PROC_CMDLINE stands for /proc/cmdline (systemd, "Known Environment Variables").
      run('env', [
        `SYSTEMD_PROC_CMDLINE=${line}`,
        '/lib/systemd/system-generators/systemd-run-generator',
        ...['n', 'e', 'l'].map((name) => join(folder, name)),
      ]);
      const unit = ['n', 'e', 'l']
        .map((name) => attempt('cat', [join(folder, name, 'kernel-command-line.service')]))
        .find(({ code }) => code === 0);
      expect(unit?.output).toContain('ExecStart=/boot/firmware/run-once.sh\n');
      expect(unit?.output).toContain('SuccessAction=reboot\n');
      expect(unit?.output).toContain('FailureAction=reboot\n');
    });
  });

  it('holds nothing of the plan, so nothing of it is ever read as shell', () => {
    const files = textsOf(
      cardFilesOf('run-once', settings({ hostName: 'x"$(reboot)' }), baseOf({ 'cmdline.txt': 'quiet\n' })),
    );
    expect(files.get('run-once.sh')).toBe(runOnceScript);
    expect([...files.keys()].at(-2)).toBe('cmdline.txt');
  });
});

describe('the kernel’s command line', () => {
  const listed =
    'DEFAULT marsh\nLABEL marsh\n  KERNEL ../vmlinuz\n  APPEND root=x quiet\nLABEL other\n  append root=y\n';

  it('gets words once, in a file of one line and in each line of a list', () => {
    const once = addWords('cmdline.txt', 'root=x  quiet\n', ['a=1']);
    expect(once).toBe('root=x quiet a=1\n');
    expect(addWords('cmdline.txt', once, ['a=1'])).toBe(once);
    const list = addWords('extlinux/extlinux.conf', listed, ['a=1']);
    expect(list).toBe(listed.replace('quiet', 'quiet a=1').replace('root=y', 'root=y a=1'));
    expect(addWords('extlinux/extlinux.conf', list, ['a=1'])).toBe(list);
    expect(wordsOfCommandLine('extlinux/extlinux.conf', list)).toEqual(['root=x', 'quiet', 'a=1']);
    expect(commandLinePath(baseOf({ 'extlinux/extlinux.conf': listed }))).toBe('extlinux/extlinux.conf');
    expect(commandLinePath(baseOf({ 'CMDLINE.TXT': 'x', 'extlinux/extlinux.conf': listed }))).toBe(
      'CMDLINE.TXT',
    );
    expect(commandLinePath(baseOf({ 'extlinux/extlinux.conf': 'LABEL x\n' }))).toBeNull();
  });
});

describe('lines of the boot configuration', () => {
  const base = [
    '# set by the image',
    'dtparam=audio=on',
    '#dtparam=i2c_arm=on',
    'disable_overscan=1',
    '',
    '[newest]',
    'arm_boost=1',
    '',
    '[all]',
    'dtoverlay=spi',
    '',
  ].join('\n');

  it.each([
    [
      'wakes a line that slept behind a comment sign',
      'dtparam=i2c_arm=on',
      base.replace('#dtparam=i2c', 'dtparam=i2c'),
    ],
    ['replaces a value in its place', 'disable_overscan=0', base.replace('overscan=1', 'overscan=0')],
    [
      'tells overlays apart by their name',
      'dtoverlay=camera,wide=1',
      base.replace('dtoverlay=spi\n', 'dtoverlay=spi\ndtoverlay=camera,wide=1\n'),
    ],
    ['goes into its section', '[newest]\nfan=1', base.replace('arm_boost=1\n', 'arm_boost=1\nfan=1\n')],
    ['makes a section that is not there', '[oldest]\nx=1', `${base}[oldest]\nx=1\n`],
    ['leaves what is there already', 'dtparam=audio=on\ndtoverlay=spi', base],
  ])('%s', (_what, wanted, merged) => {
    expect(mergeBootLines(base, wanted)).toBe(merged);
    expect(mergeBootLines(merged, wanted)).toBe(merged);
  });

  it('are all there afterwards, each once, and nothing else is lost', () => {
    const key = fc.constantFrom('a', 'b', 'dtparam', 'dtoverlay', 'rotate');
    const one = fc.record({
      section: fc.constantFrom('all', 'new', 'old'),
      key,
      value: fc.constantFrom('1', 'x=1', 'y,z=2', 'on'),
    });
    const text = (list: { section: string; key: string; value: string }[]): string =>
      list.map(({ section, key: name, value }) => `[${section}]\n${name}=${value}\n`).join('');
    fc.assert(
      fc.property(fc.array(one, { maxLength: 8 }), fc.array(one, { maxLength: 6 }), (there, wanted) => {
        const merged = mergeBootLines(text(there), text(wanted));
        const lines = readBootLines(merged).lines;
        const last = new Map(
          readBootLines(text(wanted)).lines.map((line) => [`${line.section} ${line.identity}`, line.text]),
        );
        for (const [id, line] of last)
          expect(
            lines
              .filter(({ section, identity }) => `${section} ${identity}` === id)
              .map((found) => found.text),
          ).toEqual([line]);
        for (const line of readBootLines(text(there)).lines)
          if (!last.has(`${line.section} ${line.identity}`)) expect(lines).toContainEqual(line);
        expect(mergeBootLines(merged, text(wanted))).toBe(merged);
      }),
    );
  });

  it('and extra files go onto the card with every method', () => {
    const given = settings({
      bootLines: 'dtparam=spi=on',
      files: [{ place: 'card', path: '/app/tank.txt', content: 'x', mode: '' }],
    });
    for (const id of ['declarative-seed', 'marker-files', 'run-once', 'none'] as const) {
      const files = textsOf(
        cardFilesOf(id, given, baseOf({ 'config.txt': 'a=1\n', 'cmdline.txt': 'quiet\n' })),
      );
      expect(files.get('config.txt')).toBe('a=1\ndtparam=spi=on\n');
      expect(files.get('app/tank.txt')).toBe('x');
      expect(files.has('nest-mark.json')).toBe(true);
    }
  });
});

describe('steps by hand', () => {
  it('quote for the shell whatever stands in the plan', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme' }).filter((text) => !text.includes('\0')),
        (text) => {
          expect(run('sh', ['-c', `printf %s ${typedWord(text)}`])).toBe(text);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('are commands that a shell can parse, and tell what cannot be said there', () => {
    const given: FirstBootSettings = settings({
      hostName: 'tank-01',
      networks: [
        network({ ssid: utf8("it's"), key: "a'b\\c d$" }),
        network({ ssid: new Uint8Array([0xff, 0xfe]) }),
      ],
      commands: ['echo done'],
    });
    for (const way of ['wire', 'screen', 'other-board'] as const) {
      const steps = handSteps(given, way);
      for (const command of steps.flatMap(({ commands }) => commands)) run('sh', ['-n', '-c', command]);
      expect(steps.some(({ text }) => text.includes('255;254;'))).toBe(true);
      expect(steps.flatMap(({ commands }) => commands).join('\n')).toContain("ssid 'it'\\''s'");
    }
  });
});
