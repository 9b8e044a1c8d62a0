import fc from 'fast-check';
import { fromHex, toHex, utf8 } from '../src';
import {
  pointOfElements,
  readBss,
  readBssPaths,
  readElements,
  readInterfacePath,
  type Elements,
} from '../src/in-air';

/**
 * Elements of beacons. The RSN elements are the worked ones of IEEE Std 802.11-2020 section 9.4.2.24.1 (octets from memory),
 * those of `Larch Mixed` were recorded from hostapd 2.10 by wpa_supplicant 2.10.
 */

const read = (hex: string): Elements => readElements(fromHex(hex.replace(/\s/g, ''))!);
const proofs = { psk: false, sae: false, owe: false, enterprise: false };

describe('the worked elements of the standard', () => {
  it.each([
    ['802.1X, CCMP', '3014 0100 000fac04 0100 000fac04 0100 000fac01 0000'],
    ['the same with preauthentication', '3014 0100 000fac04 0100 000fac04 0100 000fac01 0100'],
    ['802.1X, CCMP, WEP-40 as group cipher', '3012 0100 000fac01 0100 000fac04 0100 000fac01'],
    ['all by default', '3002 0100'],
    ['with a PMKID', `3026 0100 000fac04 0100 000fac04 0100 000fac01 0000 0100 ${'ab'.repeat(16)}`],
  ])('%s: a user and a password', (_title, hex) => {
    expect(read(hex).rsn).toEqual({ ...proofs, enterprise: true });
  });
});

describe('elements as they come', () => {
  const mixed =
    '000b4c61726368204d69786564 010882848b960c121824 030106 0706444520010d14 3018 0100 000fac04 0100 000fac04 0200 000fac02 000fac08 8c00';

  it('tell the name, the country and how one may prove oneself', () => {
    expect(read(mixed)).toEqual({
      ssid: utf8('Larch Mixed'),
      country: 'DE',
      wpa: false,
      wpaEnterprise: false,
      rsn: { ...proofs, psk: true, sae: true },
    });
  });

  it.each([
    ['WPA2', '3014 0100 000fac04 0100 000fac04 0100 000fac02 0000', 'wpa2-psk'],
    [
      'WPA2 with SHA-256 and fast transition',
      '3018 0100 000fac04 0100 000fac04 0200 000fac06 000fac04 8000',
      'wpa2-psk',
    ],
    ['WPA3 only', '3014 0100 000fac04 0100 000fac04 0100 000fac08 cc00', 'wpa3-sae'],
    ['OWE', '3014 0100 000fac04 0100 000fac04 0100 000fac12 cc00', 'owe'],
    ['the first WPA', 'dd16 0050f201 0100 0050f202 0100 0050f202 0100 0050f202', 'wpa'],
    ['the first WPA by user', 'dd16 0050f201 0100 0050f202 0100 0050f202 0100 0050f201', 'enterprise'],
    [
      'both',
      'dd16 0050f201 0100 0050f202 0100 0050f202 0100 0050f202 3014 0100 000fac02 0100 000fac04 0100 000fac02 0000',
      'wpa-wpa2',
    ],
    ['other words of a maker', 'dd09 0050f204 104a000110', 'wep'],
  ] as const)('%s', (_title, hex, security) => {
    const elements = fromHex(`0001 78 ${hex}`.replace(/\s/g, ''))!;
    const point = { bssid: new Uint8Array(6).fill(2), mhz: 5180, signal: -61, privacy: true, elements };
    expect(pointOfElements(point)).toMatchObject({
      bssid: '02:02:02:02:02:02',
      ssidHex: '78',
      band: '5 GHz',
      channel: 36,
      security,
    });
  });

  it('without any are open or WEP by the privacy bit; a name of nothing or of zeros is a hidden one', () => {
    const of = (hex: string, privacy: boolean) =>
      pointOfElements({ bssid: new Uint8Array(6), mhz: 2412, signal: -40, privacy, elements: fromHex(hex)! });
    expect([of('', false)?.security, of('', true)?.security]).toEqual(['open', 'wep']);
    expect([of('0000', true), of('000400000000', true), of('', true)].map((one) => one?.ssidHex)).toEqual([
      '',
      '',
      '',
    ]);
    expect(of('0003006100', true)?.ssidHex).toBe('006100');
    expect(
      pointOfElements({
        bssid: new Uint8Array(5),
        mhz: 2412,
        signal: -40,
        privacy: true,
        elements: new Uint8Array(),
      }),
    ).toBeNull();
    expect(
      pointOfElements({
        bssid: new Uint8Array(6),
        mhz: 1,
        signal: -40,
        privacy: true,
        elements: new Uint8Array(),
      }),
    ).toBeNull();
  });

  it('that say more than they have are read up to there', () => {
    // Two ways are said, one is there.
    expect(read('3012 0100 000fac04 0100 000fac04 0200 000fac02').rsn).toEqual({ ...proofs, psk: true });
    // A thousand ciphers are said.
    expect(read('3014 0100 000fac04 e803 000fac04 0100 000fac02 0000').rsn).toEqual({
      ...proofs,
      enterprise: true,
    });
    expect(read('30 14 0200 000fac04 0100 000fac04 0100 000fac02 0000').rsn).toBeNull();
    expect(read('0021' + '61'.repeat(33)).ssid).toBeNull();
    expect(read('000561626364').ssid).toBeNull();
    expect(read('0001610001 62').ssid).toEqual(utf8('a'));
    expect(read('07020c0c').country).toBe('');
  });

  it('cut at any place tell nothing that the whole does not (every place of the recorded ones)', () => {
    const octets = fromHex(mixed.replace(/\s/g, ''))!;
    const whole = readElements(octets);
    for (let end = 0; end < octets.length; end++) {
      const part = readElements(octets.subarray(0, end));
      for (const key of ['ssid', 'country', 'rsn'] as const)
        if (part[key] !== null && part[key] !== '') expect(part[key]).toEqual(whole[key]);
    }
  });

  it('of any octets never break the reader (fast-check, 5000 runs, seed 802111)', () => {
    const element = fc
      .tuple(fc.constantFrom(0, 1, 7, 48, 221), fc.uint8Array({ maxLength: 60 }), fc.nat(255), fc.boolean())
      .map(([kind, body, lie, lies]) => [kind, lies ? lie : body.length, ...body]);
    const near = fc.array(element, { maxLength: 8 }).map((parts) => Uint8Array.from(parts.flat()));
    fc.assert(
      fc.property(fc.oneof(near, fc.uint8Array({ maxLength: 300 })), (octets) => {
        const { ssid, country } = readElements(octets);
        expect(ssid === null || ssid.length <= 32).toBe(true);
        expect(country).toMatch(/^([A-Z]{2})?$/);
      }),
      { numRuns: 5000, seed: 802111 },
    );
  });

  it('of any names and ways are read back as they were put together (fast-check)', () => {
    const le = (value: number): number[] => [value & 255, value >> 8];
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 32 }),
        fc.uniqueArray(fc.constantFrom(1, 2, 5, 6, 8, 18), { maxLength: 6 }),
        (name, ways) => {
          const rsn = [
            ...le(1),
            0,
            15,
            172,
            4,
            ...le(1),
            0,
            15,
            172,
            4,
            ...le(ways.length),
            ...ways.flatMap((way) => [0, 15, 172, way]),
            0,
            0,
          ];
          const { ssid, rsn: got } = readElements(
            Uint8Array.from([0, name.length, ...name, 48, rsn.length, ...rsn]),
          );
          expect(ssid).toEqual(name);
          expect(got).toEqual({
            psk: ways.includes(2) || ways.includes(6),
            sae: ways.includes(8),
            owe: ways.includes(18),
            enterprise: ways.includes(1) || ways.includes(5),
          });
        },
      ),
    );
  });
});

describe('a supplicant’s answers over the bus (busctl, --json=short)', () => {
  const value = (type: string, data: unknown): object => ({ type, data });
  const bss = (change: object = {}): string =>
    JSON.stringify({
      type: 'a{sv}',
      data: [
        {
          SSID: value('ay', [...utf8('Larch Mixed')]),
          BSSID: value('ay', [2, 0, 0, 0, 4, 0]),
          Privacy: value('b', true),
          Frequency: value('q', 2437),
          Signal: value('n', -30),
          IEs: value('ay', [...fromHex('000b4c61726368204d69786564')!]),
          ...change,
        },
      ],
    });

  it('are access points by their octets', () => {
    expect(readBss(bss())).toEqual({
      bssid: '02:00:00:00:04:00',
      ssidHex: toHex(utf8('Larch Mixed')),
      band: '2.4 GHz',
      channel: 6,
      mhz: 2437,
      signal: -30,
      quality: null,
      security: 'wep',
      country: '',
    });
    expect(readInterfacePath('{"type":"o","data":["/fi/w1/wpa_supplicant1/Interfaces/2"]}')).toBe(
      '/fi/w1/wpa_supplicant1/Interfaces/2',
    );
    const paths = ['/fi/w1/wpa_supplicant1/Interfaces/2/BSSs/7', '/etc', '--help'];
    expect(readBssPaths(JSON.stringify({ type: 'v', data: [{ type: 'ao', data: paths }] }))).toEqual(
      paths.slice(0, 1),
    );
  });

  it('that are none are passed over', () => {
    for (const text of [
      '',
      'null',
      '[]',
      '{"data":[]}',
      bss({ Signal: value('n', 4) }),
      bss({ BSSID: value('ay', [1]) }),
      bss({ IEs: value('ay', [300]) }),
      bss({ Frequency: value('q', 1) }),
    ])
      expect([readBss(text), readInterfacePath(text), readBssPaths(text)]).toEqual([null, null, []]);
  });
});
