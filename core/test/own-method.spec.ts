import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { fromHex, textOf, textOrNull, toHex, utf8 } from '../src/bytes';
import { noBase } from '../src/firstboot/base-files';
import { cardFilesOf } from '../src/firstboot/card-files';
import { ownCarries } from '../src/firstboot/own/carries';
import { ownFaults } from '../src/firstboot/own/faults';
import { ownMethod } from '../src/firstboot/own/method';
import { setLines } from '../src/firstboot/own/lines-form';
import { octetText } from '../src/firstboot/own/octet-text';
import { quoted, unquoted } from '../src/firstboot/own/quoting';
import { OwnMethodError } from '../src/firstboot/own/template';
import { writeOwnFiles } from '../src/firstboot/own/writes';
import { noSettings } from '../src/formats/finding';
import type { BaseFiles, FirstBootSettings, NetworkSettings } from '../src/firstboot/settings';
import {
  OwnDescriptionSchema,
  readOwnDescription,
  quotings,
  type OwnDescription,
  type Quoting,
} from '../src/plan/own-method';
import { network, settings } from './helpers/plan';
import { inScratch, run } from './helpers/reference';
import { many } from './helpers/soak';

/** A description with one file, everything not said as it is by itself. */
const describedAs = (file: object): OwnDescription => {
  const description = OwnDescriptionSchema.parse({
    format: 'nest-mark-first-boot-method',
    version: 1,
    title: 'Reed OS',
    files: [file],
  });
  expect(ownFaults(description)).toEqual([]);
  return description;
};
const withText = (path: string, text: string): BaseFiles => ({ ...noBase, texts: new Map([[path, text]]) });
const written = (description: OwnDescription, given: FirstBootSettings, base: BaseFiles = noBase): string =>
  textOf(writeOwnFiles(description, given, base)[0]!.content);
const refused = (description: OwnDescription, given: FirstBootSettings): string => {
  try {
    return written(description, given);
  } catch (error) {
    if (error instanceof OwnMethodError) return error.message;
    throw error;
  }
};

const words = { open: 'none', wep: 'wep', wpa2: 'psk', mixed: 'mixed', wpa3: 'sae' };
const board = [
  { key: 'name', value: '<<hostName>>' },
  { key: 'batch', value: 'of <<batch>>' },
];
const perNetwork = [
  { key: 'wifi<<number>>.name', value: '<<ssid>>', each: 'network' },
  { key: 'wifi<<number>>.key', value: '<<wifiKey>>', each: 'network', when: 'secured' },
  { key: 'wifi<<number>>.kind', value: '<<security>>', each: 'network' },
];

describe('the outside readers', () => {
  /**
   * What the standard readers make of files: Python's configparser, json, urllib.parse and xml.etree, PyYAML, which
   * cloud-init uses, and dash for the words of a shell.
   */
  const reader = `
import base64, configparser, json, os, subprocess, sys, urllib.parse, xml.etree.ElementTree as tree
import yaml
def b(octets): return octets.hex()
def value(quoting, text):
    if quoting == 'plain': return b(text.encode())
    if quoting == 'json': return b(json.loads(text).encode())
    if quoting == 'percent': return b(urllib.parse.unquote_to_bytes(text))
    return b((tree.fromstring('<a b="' + text + '"/>').get('b') or '').encode())
out = []
for one in json.load(sys.stdin):
    form, quoting, text = one['form'], one['quoting'], one['text']
    if form == 'ini':
        parser = configparser.RawConfigParser(delimiters=('=',), comment_prefixes=('#', ';'), inline_comment_prefixes=(' #', ' ;'), strict=True)
        parser.optionxform = str
        parser.read_string(text)
        out.append({s: {k: value(quoting, v) for k, v in parser.items(s)} for s in parser.sections()})
    elif form == 'yaml':
        out.append(yaml.safe_load(text))
    elif form == 'settings':
        pairs = [line.split('=', 1) for line in text.split('\\n') if line.strip() and not line.startswith('#')]
        keys = [k for k, v in pairs]
        assert len(keys) == len(set(keys)), keys
        if quoting == 'shell':
            words = subprocess.run(['/bin/sh', '-c', "printf '%s\\\\0' " + ' '.join(v for k, v in pairs)], capture_output=True, check=True).stdout.split(b'\\0')
            out.append({k: b(w) for k, w in zip(keys, words)})
        else:
            out.append({k: value(quoting, v) for k, v in pairs})
    else:
        rows = [line.split(';') for line in text.split('\\n')[:-1]]
        out.append([[value(quoting, field) for field in row] for row in rows])
print(json.dumps(out))
`;
  const read = (files: readonly { form: string; quoting: Quoting; text: string }[]): unknown[] =>
    JSON.parse(run('/usr/bin/python3', ['-c', reader], JSON.stringify(files))) as unknown[];

  const nasty = fc.oneof(
    fc.string({ maxLength: 12 }),
    fc.string({ unit: 'grapheme', maxLength: 8 }),
    fc
      .array(
        fc.constantFrom(
          '=',
          ';',
          '#',
          ' ',
          '"',
          "'",
          '\\',
          '\n',
          '\r',
          '\t',
          '[x]',
          '<<hostName>>',
          '$(id)',
          '`id`',
          '%41',
          '&amp;',
          '<',
          '>',
          'key=',
          '\nname=evil',
          '- x',
          ': ',
          'no',
          '0x1',
          '~',
          '\u2028',
          '\u0085',
          '\u0000',
          '{',
          '}',
          'a',
        ),
        { maxLength: 6 },
      )
      .map((parts) => parts.join('')),
  );
  const octets = fc.oneof(nasty.map(utf8), fc.uint8Array({ minLength: 1, maxLength: 32 }));
  const networks = fc.array(
    fc.record({
      ssid: octets.map((name) => name.slice(0, 32)),
      key: nasty.filter((text) => text !== ''),
      security: fc.constantFrom<NetworkSettings['security']>(
        'open',
        'wep',
        'wpa2-psk',
        'wpa2-wpa3',
        'wpa3-sae',
      ),
    }),
    { maxLength: 3 },
  );
  const given = fc
    .record({ hostName: nasty, batchName: nasty, networks })
    .map((drawn): FirstBootSettings => ({
      ...settings(),
      hostName: drawn.hostName,
      batchName: drawn.batchName,
      networks: drawn.networks.map((one, at) => ({
        ...network(),
        ...one,
        key: one.security === 'open' ? '' : one.key,
        priority: at,
      })),
    }));

  const said: Record<NetworkSettings['security'], string> = {
    open: 'none',
    wep: 'wep',
    'wpa2-psk': 'psk',
    'wpa2-wpa3': 'mixed',
    'wpa3-sae': 'sae',
  };
  const word = (security: NetworkSettings['security']): string => said[security];
  const hex = (text: string): string => toHex(utf8(text));
  const flat = ({ hostName, batchName, networks: joined }: FirstBootSettings): Record<string, string> => ({
    name: hex(hostName),
    batch: hex(`of ${batchName}`),
    ...Object.fromEntries(
      joined.flatMap(({ ssid, key, security }, at): [string, string][] => {
        const of = `wifi${String(at + 1)}`;
        const kind: [string, string] = [`${of}.kind`, hex(word(security))];
        const name: [string, string] = [`${of}.name`, toHex(ssid)];
        return security === 'open' ? [name, kind] : [name, [`${of}.key`, hex(key)], kind];
      }),
    ),
  });

  interface Way {
    title: string;
    description: (quoting: Quoting) => OwnDescription;
    quotings: readonly Quoting[];
    wanted: (of: FirstBootSettings) => unknown;
  }
  const ways: Way[] = [
    {
      title: 'lines of key and value',
      description: (quoting) =>
        describedAs({ path: 'b.cfg', form: 'settings', quoting, words, entries: [...board, ...perNetwork] }),
      quotings,
      wanted: flat,
    },
    {
      title: 'sections',
      description: (quoting) =>
        describedAs({
          path: 'b.ini',
          form: 'ini',
          separator: ' = ',
          quoting,
          words,
          entries: [
            ...board.map((entry) => ({ ...entry, section: 'board' })),
            ...perNetwork.map((entry) => ({ ...entry, section: 'wifi', key: entry.key.replace('.', '_') })),
          ],
        }),
      // A text over several lines belongs to no INI file: its reader joins them in its own way.
      quotings: ['plain', 'json', 'percent', 'xml'],
      wanted: (of) => {
        const { name, batch, ...rest } = flat(of);
        const wifi = Object.fromEntries(
          Object.entries(rest).map(([key, value]) => [key.replace('.', '_'), value]),
        );
        return { board: { name, batch }, ...(Object.keys(wifi).length === 0 ? {} : { wifi }) };
      },
    },
    {
      title: 'YAML',
      description: () =>
        describedAs({
          path: 'b.yml',
          form: 'yaml',
          words,
          entries: [
            { key: 'board/name', value: '<<hostName>>' },
            { key: 'board/batch', value: 'of <<batch>>' },
            { key: 'wifi/-/name', value: '<<ssid.hex>>', each: 'network' },
            { key: 'wifi/-/key', value: '<<wifiKey>>', each: 'network' },
            { key: 'wifi/-/priority', value: '<<priority>>', each: 'network' },
            { key: 'wifi/-/kind', value: '<<security>>', each: 'network' },
          ],
        }),
      quotings: ['plain'],
      wanted: ({ hostName, batchName, networks: joined }) => ({
        board: { name: hostName, batch: `of ${batchName}` },
        ...(joined.length === 0
          ? {}
          : {
              wifi: joined.map(({ ssid, key, priority, security }) => ({
                name: toHex(ssid),
                key,
                priority,
                kind: word(security),
              })),
            }),
      }),
    },
    {
      title: 'a list of networks, one a line',
      description: (quoting) =>
        describedAs({
          path: 'networks.lst',
          form: 'text',
          quoting,
          words,
          entries: [{ value: '<<ssid>>;<<wifiKey>>;<<security>>', each: 'network' }],
        }),
      // Quotation marks do not keep a separator from a reader that splits lines.
      quotings: ['plain', 'percent'],
      wanted: ({ networks: joined }) =>
        joined.map(({ ssid, key, security }) => [toHex(ssid), hex(key), hex(word(security))]),
    },
  ];

  it.each(ways.flatMap((way) => way.quotings.map((quoting) => [way.title, quoting, way] as const)))(
    '%s, %s: find just the values that were put in, whatever they are, or nothing is written',
    (_title, quoting, way) => {
      const description = way.description(quoting);
      const made: { text: string; wanted: unknown }[] = [];
      let no = 0;
      fc.assert(
        fc.property(given, (of) => {
          const answer = refused(description, of);
          if (answer.startsWith('"Reed OS"')) no++;
          else made.push({ text: answer, wanted: way.wanted(of) });
        }),
        { numRuns: many(60, 300), seed: 11 },
      );
      const { form } = description.files[0]!;
      expect(read(made.map(({ text }) => ({ form, quoting, text })))).toEqual(
        made.map(({ wanted }) => wanted),
      );
      // A check that refuses everything, or nothing where the format cannot say all, would prove nothing.
      expect(made.length).toBeGreaterThan(many(5, 20));
      if (quoting === 'percent') expect(no).toBe(0);
      else if (form !== 'yaml') expect(no).toBeGreaterThan(0);
    },
  );

  it('a base file stays what it was, but for what is set; and it is read back by its description', () => {
    const description = describedAs({
      path: 'b.ini',
      form: 'ini',
      separator: '=',
      words,
      entries: [
        { section: 'board', key: 'name', value: '<<hostName>>' },
        { section: 'wifi<<number>>', key: 'ssid', value: '<<ssid>>', each: 'network' },
      ],
    });
    const base =
      '; of the maker\r\n[board]\r\nname=board\r\nname=twice\r\nled=on\r\n\r\n[clock]\r\nzone=UTC\r\n';
    const text = written(description, settings(), withText('B.INI', base));
    expect(text).toBe(
      base.replace('name=board', 'name=tank-01').replace('name=twice\r\n', '') +
        '\r\n[wifi1]\r\nssid=Salt Marsh\r\n',
    );
  });

  it('setting the same lines again changes nothing', () => {
    const line = fc.constantFrom('a=1', 'b = 2', '# a=1', '', '[s]', '[t]', 'a=3', '  c=4', '; x');
    fc.assert(
      fc.property(
        fc.array(line, { maxLength: 12 }),
        fc.array(
          fc.record({
            section: fc.constantFrom('', 's', 'u'),
            key: fc.constantFrom('a', 'b', 'k'),
            value: fc.constantFrom('7', 'x y'),
          }),
          { maxLength: 4 },
        ),
        (lines, set) => {
          const manner = { form: 'ini' as const, separator: '=' as const };
          // Lines before the first section have none.
          const once = setLines(lines.join('\n'), manner, set);
          expect(setLines(once, manner, set)).toBe(once);
        },
      ),
      { numRuns: many(100, 500), seed: 3 },
    );
  });

  it.each(quotings)('what is written %s is read back as it was', (quoting) => {
    fc.assert(
      fc.property(octets, (value) => {
        let text: string;
        try {
          text = quoted(value, quoting);
        } catch (error) {
          if (!(error instanceof OwnMethodError)) throw error;
          return;
        }
        expect(unquoted(text, quoting)).toBe(octetText(value));
      }),
      { numRuns: many(100, 500), seed: 5 },
    );
  });
});

/** An invented image: a file of settings, and a list of networks in it between two marks. */
const reed = OwnDescriptionSchema.parse({
  format: 'nest-mark-first-boot-method',
  version: 1,
  title: 'Reed OS',
  files: [
    {
      path: 'config/board.cfg',
      form: 'settings',
      quoting: 'json',
      words: { yes: 'true', no: 'false' },
      entries: [
        { key: 'name', value: '<<hostName>>' },
        { key: 'country', value: '<<country>>' },
        { key: 'owner', value: '<<user>>' },
        { key: 'owner.hash', value: '<<passwordHash>>', when: 'password' },
        { key: 'owner.hash', value: '!', when: 'no-password' },
        { key: 'login.password', value: '<<passwordLogin>>' },
        { key: 'identity', value: '<<hostKey.base64>>' },
        { key: 'owner.key<<number>>', value: '<<sshKey>>', each: 'key' },
      ],
    },
    {
      path: 'networks.txt',
      form: 'text',
      quoting: 'percent',
      begin: '# networks begin',
      end: '# networks end',
      words: { open: 'open', wpa2: 'wpa', mixed: 'mixed', yes: 'hidden', no: 'seen' },
      entries: [{ value: 'net <<ssid>> <<security>> <<wifiKey>> <<hidden>>', each: 'network' }],
    },
  ],
});
const method = ownMethod({ id: '2f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11', description: reed });
const onCard = (files: ReadonlyMap<string, string>): Parameters<typeof method.acts>[0] => ({
  names: [...files.keys()].map((path) => path.split('/')[0] ?? ''),
  files: [...files].map(([name, text]) => ({ name, content: utf8(text) })),
  label: '',
  bootedAs: null,
  bootedWith: null,
  mountedAt: null,
  elsewhere: [],
});
const base: BaseFiles = {
  ...noBase,
  texts: new Map([
    ['networks.txt', 'Put your networks here.\n# networks begin\nnet example\n# networks end\nThe end.\n'],
  ]),
};
const cardOf = (given: FirstBootSettings): Map<string, string> =>
  new Map(method.files(given, base).map(({ path, content }) => [path, textOf(content)]));
const check = (files: ReadonlyMap<string, string>): { ids: string[]; told: object } => {
  const told = noSettings();
  return { ids: method.readBack(onCard(files), told).map(({ id }) => id), told };
};

describe('a card by a description', () => {
  it('is read back as what it was made of, with nothing to find', () => {
    const given = {
      ...settings(),
      networks: [network(), { ...network(), ssid: utf8('50% & more'), hidden: true }],
    };
    const files = cardOf(given);
    expect(files.get('networks.txt')).toMatch(
      /^Put your networks here\.\n# networks begin\nnet Salt%20Marsh wpa [0-9a-f]{64} seen\nnet 50%25%20%26%20more wpa [0-9a-f]{64} hidden\n# networks end\nThe end\.\n$/,
    );
    expect(method.acts(onCard(files))).toContain('"Reed OS"');
    const { ids, told } = check(files);
    expect(ids).toEqual([]);
    expect(told).toMatchObject({
      hostName: 'tank-01',
      country: 'FO',
      networks: [
        { ssid: 'Salt Marsh', security: 'psk', hidden: false },
        { ssid: '50% & more', security: 'psk', hidden: true },
      ],
      users: [
        { name: given.user.name, keys: given.user.keys.length, password: given.user.passwordHash !== null },
      ],
    });
  });

  it('carries what it writes and no more', () => {
    expect([...ownCarries(reed)].sort()).toEqual(
      [
        'country',
        'hostKey',
        'hostName',
        'keys',
        'networks',
        'octets',
        'password',
        'passwordOff',
        'user',
      ].sort(),
    );
  });

  it.each<[string, string, (text: string) => string]>([
    ['own-value', 'config/board.cfg', (text) => text.replace('"tank-01"', '"tank 01"')],
    ['own-value', 'config/board.cfg', (text) => text.replace('"FO"', '"XX"')],
    ['own-value-form', 'config/board.cfg', (text) => text.replace('"tank-01"', 'tank-01')],
    [
      'own-value-form',
      'config/board.cfg',
      (text) => text.replace('="false"', '="nope"').replace('="true"', '="nope"'),
    ],
    ['own-entry-missing', 'config/board.cfg', (text) => text.replace(/^name=.*\n/m, '')],
    ['own-entry-missing', 'config/board.cfg', (text) => text.replace(/^name=/m, '#name=')],
    ['own-entry-twice', 'config/board.cfg', (text) => `${text}name="tank-04"\n`],
    ['own-blanks', 'config/board.cfg', (text) => text.replace('name=', 'name = ')],
    ['own-value', 'config/board.cfg', (text) => text.replace(/identity="..../, 'identity="AAAA')],
    ['own-marks-missing', 'networks.txt', (text) => text.replace('# networks end', '')],
    ['own-line-odd', 'networks.txt', (text) => text.replace('wpa ', 'wpa3 ')],
    ['own-value', 'networks.txt', (text) => text.replace(/[0-9a-f]{64}/, 'short')],
    ['own-line-odd', 'networks.txt', (text) => text.replace('Salt%20Marsh', 'Salt Marsh')],
    ['carriage-returns', 'networks.txt', (text) => text.replaceAll('\n', '\r\n')],
    ['byte-order-mark', 'networks.txt', (text) => `\uFEFF${text}`],
  ])('tells %s', (id, path, spoil) => {
    const files = cardOf(settings());
    const before = files.get(path)!;
    files.set(path, spoil(before));
    expect(files.get(path)).not.toBe(before);
    expect(check(files).ids).toEqual([id]);
  });

  it('tells a file that is gone, and keeps secrets to itself', () => {
    const files = cardOf(settings());
    files.delete('networks.txt');
    expect(check(files).ids).toEqual(['own-file-missing']);
    const key = '0123456789abcdef'.repeat(4);
    const spoilt = cardOf({ ...settings(), networks: [{ ...network(), key }] });
    spoilt.set('networks.txt', spoilt.get('networks.txt')!.replace(key, `${key}x`));
    expect(JSON.stringify(method.readBack(onCard(spoilt), check(spoilt).told as never))).not.toContain(
      key.slice(0, 12),
    );
  });

  it('says the networks too whose names are keys', () => {
    const keyed = ownMethod({
      id: '2f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11',
      description: OwnDescriptionSchema.parse({
        format: 'nest-mark-first-boot-method',
        version: 1,
        title: 'Keyed',
        files: [
          {
            path: 'net.yml',
            form: 'yaml',
            entries: [
              { key: 'points/<<ssid>>/key', value: '<<wifiKey>>', each: 'network' },
              { key: 'points/<<ssid>>/order', value: '<<priority>>', each: 'network' },
            ],
          },
          {
            path: 'net.ini',
            form: 'ini',
            entries: [{ section: 'wifi <<ssid.hex>>', key: 'key', value: '<<wifiKey>>', each: 'network' }],
          },
        ],
      }),
    });
    const given = { ...settings(), networks: [network(), { ...network(), ssid: utf8('Quay'), priority: 3 }] };
    const files = new Map(keyed.files(given, noBase).map(({ path, content }) => [path, textOf(content)]));
    for (const path of ['net.yml', 'net.ini']) {
      const told = noSettings();
      const only = new Map([...files].map(([name, text]) => [name, name === path ? text : '']));
      keyed.readBack(onCard(only), told);
      expect(told.networks.map(({ ssid }) => ssid)).toEqual(['Salt Marsh', 'Quay']);
    }
  });

  it('does not write what it has no word for, and says which', () => {
    const open = { ...settings(), networks: [{ ...network(), security: 'wpa3-sae' as const, key: 'a b' }] };
    expect(() => method.files(open, base)).toThrow(/networks\.txt.*no word for a network of this kind/);
    expect(() => cardFilesOf('own:2f6f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11', settings(), base)).toThrow(
      OwnMethodError,
    );
  });
});

describe('a description', () => {
  const faultsOf = (file: object): string[] =>
    ownFaults(
      OwnDescriptionSchema.parse({
        format: 'nest-mark-first-boot-method',
        version: 1,
        title: 'x',
        files: [file],
      }),
    ).map(({ text }) => text);
  const entry = (change: object): object => ({
    path: 'a.cfg',
    form: 'settings',
    entries: [{ key: 'a', value: 'b', ...change }],
  });

  it.each<[RegExp, object]>([
    [/no value "host"/, entry({ value: '<<host>>' })],
    [/hex or base64/, entry({ value: '<<ssid.rot13>>', each: 'network' })],
    [/only in what is repeated/, entry({ value: '<<ssid>>' })],
    [/running number/i, entry({ value: '<<number>>' })],
    [/side by side/, entry({ value: '<<hostName>><<mark>>' })],
    [/no part of a name/, entry({ key: '<<passwordHash.hex>>' })],
    [/no path/, { ...entry({}), path: '../a' }],
    [/no path/, { ...entry({}), path: '/a' }],
    [/taken/, { ...entry({}), path: 'Nest-Mark.json' }],
    [/two marks, or none/, { ...entry({}), form: 'text', begin: 'x' }],
    [/Give the key/, entry({ key: '' })],
    [/one line/, entry({ value: 'a\nb' })],
    [/A key has/, entry({ key: 'a=b' })],
    [/no kind of it has a word/, entry({ value: '<<security>>', each: 'network' })],
    [/have one place/, { ...entry({ each: 'network', value: '<<ssid>>' }), form: 'yaml' }],
    [/one of several/, { ...entry({ key: 'a/-/b' }), form: 'yaml' }],
    [/for each network/, entry({ when: 'hidden' })],
  ])('that makes no sense is told: %s', (text, file) => {
    expect(faultsOf(file).some((fault) => text.test(fault))).toBe(true);
  });

  it.each<[string, RegExp]>([
    ['{', /no JSON/],
    ['{"format":"x"}', /describes no first-boot method/],
    ['[]', /describes no first-boot method/],
    [JSON.stringify({ ...reed, version: 2 }), /version 2, which this program does not know/],
    [JSON.stringify({ ...reed, files: [{ ...reed.files[0], form: 'x' }] }), /at files\/0\/form:/],
  ])('from a file that is none is told in a sentence: %s', (text, said) => {
    expect(() => readOwnDescription(text)).toThrow(said);
    expect(readOwnDescription(JSON.stringify(reed))).toEqual(reed);
  });

  it('is refused by its form where it is no description', () => {
    for (const wrong of [{}, { ...reed, version: 2 }, { ...reed, files: [] }, { ...reed, more: 1 }])
      expect(OwnDescriptionSchema.safeParse(wrong).success).toBe(false);
  });
});

it('words of a shell: dash sources the file and has the values, and nothing of them ran', () =>
  inScratch((folder) => {
    const description = describedAs({
      path: 'b.sh',
      form: 'settings',
      quoting: 'shell',
      entries: [
        { key: 'NAME', value: '<<hostName>>' },
        { key: 'COMMANDS', value: '<<commands>>' },
      ],
    });
    const hostName = `$(touch ${folder}/ran)'"\\ \`id\``;
    const commands = [`touch ${folder}/ran; echo 'x'`];
    writeFileSync(join(folder, 'b.sh'), written(description, { ...settings(), hostName, commands }));
    const out = run('/bin/sh', [
      '-c',
      `. ${folder}/b.sh; printf '%s\\0%s' "$NAME" "$COMMANDS"; ls ${folder} >&2`,
    ]);
    expect(out.split('\0')).toEqual([hostName, commands.join('\n')]);
    expect(run('ls', [folder])).toBe('b.sh\n');
    expect(textOrNull(fromHex('ff')!)).toBeNull();
  }));
